package bargelane.service.wave;

import bargelane.service.Services;
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
    return List.of(
        new LoadRun(services, moves, watchLeg),
        new TestRun(services, moves),
        new CutoverRun("cutover", services, moves),
        new CutoverRun("failback", services, moves),
        new FailoverRun(services, moves),
        new ReconcileRun(services, moves),
        new UndoRun(services, moves, watchLeg),
        new SettleRun(services, moves));
  }
}
