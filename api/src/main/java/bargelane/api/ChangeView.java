package bargelane.api;

import java.time.Instant;

/**
 * What a scan found different.
 *
 * @param kind {@code appeared}, {@code changed}, {@code vanished} or {@code returned}
 * @param fact what changed of it; empty for the other kinds
 */
public record ChangeView(
    Instant at,
    String site,
    String machineId,
    String machine,
    String kind,
    String fact,
    String former,
    String present) {}
