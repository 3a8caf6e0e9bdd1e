package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A piece of work. {@code state} is {@code running}, {@code backing out}, {@code done}, {@code
 * failed}.
 *
 * @param subjectKind what it is about: {@code wave} or {@code site}
 * @param subject its name
 */
public record RunView(
    String id,
    String kind,
    String title,
    String subjectKind,
    String subject,
    String state,
    Instant startedAt,
    @Nullable Instant endedAt,
    List<StepView> steps,
    @Nullable Problem problem,
    @Nullable Object result,
    String startedBy) {}
