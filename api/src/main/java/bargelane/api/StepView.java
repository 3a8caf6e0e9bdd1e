package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** A step of a run. */
public record StepView(
    int number,
    String name,
    String title,
    String state,
    String detail,
    @Nullable Instant startedAt,
    @Nullable Instant endedAt) {}
