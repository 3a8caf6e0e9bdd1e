package bargelane.api;

import java.time.Instant;
import java.util.List;

/**
 * A node of the service.
 *
 * @param address where it serves, as whoever is on its host reaches it
 * @param lives whether it was heard of within 15 s
 * @param clockAheadSeconds how far its host's clock is ahead of the database's; negative where it
 *     is behind
 * @param runs titles of what it carries out now
 * @param passes that its own tug has in hand
 */
public record NodeView(
    String name,
    String version,
    String host,
    String address,
    Instant startedAt,
    Instant heardAt,
    boolean lives,
    double clockAheadSeconds,
    List<String> runs,
    long passes) {}
