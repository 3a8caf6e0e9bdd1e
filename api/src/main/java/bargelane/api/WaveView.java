package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A wave with everything that its page shows. Durations are seconds.
 *
 * @param verbs what can be asked of it now, what is most likely meant first
 */
public record WaveView(
    String id,
    String name,
    String lane,
    String from,
    String to,
    String timetable,
    int everySeconds,
    int rpoSeconds,
    int keepPoints,
    String state,
    List<MemberView> machines,
    @Nullable LegView leg,
    @Nullable Double exposureSeconds,
    @Nullable Instant newestAsOf,
    boolean rpoHeld,
    @Nullable PassView lastPass,
    List<PointView> points,
    List<RunView> running,
    List<RunView> recent,
    Remedy nextAction,
    List<String> verbs,
    @Nullable Divergence divergence,
    boolean protectedNow,
    Instant now) {}
