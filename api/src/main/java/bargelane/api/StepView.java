package bargelane.api;

import java.time.Instant;

/** A step of a run. */
public record StepView(
    int number,
    String name,
    String title,
    String state,
    String detail,
    Instant startedAt,
    Instant endedAt) {}
