package bargelane.service.move;

import bargelane.service.replication.Services;
import bargelane.service.run.RunKind;
import java.util.List;

/** The kinds of work on waves. */
public final class WaveRuns {

  private WaveRuns() {}

  /** All of them. */
  public static List<RunKind> all(Services services) {
    Moves moves = new Moves(services);
    Carrying carrying = new Carrying(services, moves);
    Landing landings = new Landing(services, moves, carrying);
    Turning turning = new Turning(services, moves);
    Refits refits = new Refits(services, moves, landings);
    TargetCheck target = new TargetCheck(services, moves, carrying);
    return List.of(
        new RefitRun(moves, landings, refits),
        new LoadRun(services, moves, target),
        new TestRun(services, moves, landings, refits, target, carrying),
        new CutoverRun("cutover", moves, turning, landings, refits, target, carrying),
        new CutoverRun("failback", moves, turning, landings, refits, target, carrying),
        new FailoverRun(services, moves, landings, refits, target, carrying),
        new ReconcileRun(services, moves, turning),
        new UndoRun(services, moves, turning, landings, carrying),
        new SettleRun(services, moves));
  }
}
