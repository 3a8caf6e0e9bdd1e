package bargelane.api;

import java.time.Instant;

/** Something that happened. */
public record EventView(
    long id, Instant at, String kind, String subject, String run, String text, Object data) {}
