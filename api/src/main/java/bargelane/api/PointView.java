package bargelane.api;

import java.time.Instant;

/** A recovery point. {@code spreadMs} is how far apart the source instants of its machines lie. */
public record PointView(
    String id,
    String site,
    int number,
    Instant asOf,
    long spreadMs,
    String consistency,
    boolean verified,
    Instant recordedAt,
    String direction,
    long sent) {}
