package bargelane.api;

import java.time.Instant;

/**
 * Something that happened.
 *
 * @param actor the account, tug or schedule that did it; empty for the service itself
 */
public record EventView(
    long id,
    Instant at,
    String kind,
    String subject,
    String run,
    String text,
    String actor,
    Object data) {}
