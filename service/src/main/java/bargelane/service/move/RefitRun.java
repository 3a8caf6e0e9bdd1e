package bargelane.service.move;

import bargelane.core.wave.WaveVerb;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import java.util.List;
import java.util.Map;
import org.hibernate.Session;

/** Looks into clones of the newest point for what a refit would change, and removes them again. */
final class RefitRun implements RunKind {

  private final Moves moves;
  private final Landing landings;
  private final Refits refits;

  RefitRun(Moves moves, Landing landings, Refits refits) {
    this.moves = moves;
    this.landings = landings;
    this.refits = refits;
  }

  @Override
  public String name() {
    return WaveVerb.REFIT.word();
  }

  /** Begins one as part of another run, in the caller's transaction. */
  static String start(Session s, RunEngine runs, TowState state, String parentId, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            WaveVerb.REFIT.word(),
            "Look into the guests of " + state.tow.name,
            state.subject(),
            parentId,
            Map.of(),
            List.of(),
            by));
  }

  private Side side(Work w) {
    return w.once(MoveNotes.SIDE, () -> TowState.source(moves.leg(w)).other());
  }

  @Override
  public boolean leavesNothingToOthers() {
    return true;
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("clone", "Clone the point", w -> landings.cloneVolumes(w, side(w))),
        new Step("look", "Look into the guests", w -> refits.review(w, side(w))),
        new Step("clean", "Remove the clones", this::clean));
  }

  @Override
  public List<Step> backOut(Work work) {
    return List.of(new Step("clean", "Remove the clones", this::clean));
  }

  private Outcome clean(Work w) {
    landings.dropClones(w, side(w));
    return Outcome.done("");
  }
}
