package bargelane.api;

import java.time.Instant;
import java.util.List;

/**
 * A piece of work. {@code state} is {@code running}, {@code backing out}, {@code done}, {@code
 * failed}.
 */
public record RunView(
    String id,
    String kind,
    String title,
    String wave,
    String site,
    String state,
    Instant startedAt,
    Instant endedAt,
    List<StepView> steps,
    Problem problem,
    Object result,
    String startedBy) {}
