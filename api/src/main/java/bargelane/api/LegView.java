package bargelane.api;

/** A stretch of replication in one direction. */
public record LegView(
    String id,
    int number,
    String from,
    String to,
    String state,
    String marker,
    String commonPoint) {}
