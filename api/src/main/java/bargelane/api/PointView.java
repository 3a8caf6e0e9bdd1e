package bargelane.api;

import java.time.Instant;

/**
 * A recovery point.
 *
 * @param oneInstant whether the platform promises that all of it is of one instant
 * @param spreadMs where it does not, how far apart the instants of its machines can lie
 * @param verification how what was written was verified after it was flushed: {@code at-target} by
 *     digests of what the target's storage holds, {@code read-back} by reading it again, or {@code
 *     none}
 */
public record PointView(
    String id,
    String site,
    int number,
    Instant asOf,
    boolean oneInstant,
    long spreadMs,
    String consistency,
    String verification,
    Instant recordedAt,
    String direction,
    long sent) {}
