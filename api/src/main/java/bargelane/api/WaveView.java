package bargelane.api;

import java.time.Instant;
import java.util.List;

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
    LegView leg,
    Double exposureSeconds,
    Instant newestAsOf,
    boolean rpoHeld,
    PassView lastPass,
    List<PointView> points,
    List<RunView> running,
    List<RunView> recent,
    String nextAction,
    List<String> verbs,
    Divergence divergence,
    boolean protectedNow,
    Instant now) {}
