package bargelane.api;

import java.time.Instant;

/**
 * A recovery point.
 *
 * @param oneInstant whether the platform promises that all of it is of one instant
 * @param spreadMs where it does not, how far apart the instants of its machines can lie
 */
public record PointView(
    String id,
    String site,
    int number,
    Instant asOf,
    boolean oneInstant,
    long spreadMs,
    String consistency,
    boolean verified,
    Instant recordedAt,
    String direction,
    long sent) {}
