package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * A server of a site.
 *
 * @param hostKey fingerprints that its host key may have; empty until one is approved
 * @param shownKey the fingerprint that it showed last; empty until it showed one
 * @param credential the name of the one that let us in last
 * @param machine the name of the machine that it is, {@code machineId} its id; empty until it was
 *     read
 * @param problem what keeps it from being read; null if nothing does
 */
public record ServerView(
    String id,
    String address,
    String hostKey,
    String shownKey,
    String credential,
    String machineId,
    String machine,
    Instant addedAt,
    @Nullable Instant readAt,
    @Nullable FindingView problem) {}
