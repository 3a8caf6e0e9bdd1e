package bargelane.service.move;

import bargelane.service.replication.Services;
import bargelane.service.run.RunKind;
import java.util.List;
import java.util.function.Consumer;

/** The kinds of work on waves. */
public final class WaveRuns {

  private WaveRuns() {}

  /**
   * All of them.
   *
   * @param watchLeg has the timetable see to a leg
   */
  public static List<RunKind> all(Services services, Consumer<String> watchLeg) {
    Moves moves = new Moves(services, watchLeg);
    Landing landings = new Landing(services, moves);
    Turning turning = new Turning(services, moves, watchLeg);
    Refits refits = new Refits(services, moves, landings);
    return List.of(
        new RefitRun(moves, landings, refits),
        new LoadRun(services, moves, watchLeg),
        new TestRun(services, moves, landings, refits),
        new CutoverRun("cutover", moves, turning, landings, refits),
        new CutoverRun("failback", moves, turning, landings, refits),
        new FailoverRun(services, moves, landings, refits),
        new ReconcileRun(services, moves, turning),
        new UndoRun(services, moves, turning, landings, watchLeg),
        new SettleRun(services, moves));
  }
}
