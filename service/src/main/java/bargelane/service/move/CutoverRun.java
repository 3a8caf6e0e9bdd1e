package bargelane.service.move;

import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A planned move along the present direction of replication: cutover on the lane, failback on its
 * reverse. The same steps both ways. Nothing is written to the disks of the machines that are left:
 * they are frozen.
 */
final class CutoverRun implements RunKind {

  private final String name;
  private final Moves moves;
  private final Turning turning;
  private final Landing landings;
  private final Refits refits;
  private final TargetCheck target;
  private final Carrying carrying;

  CutoverRun(
      String name,
      Moves moves,
      Turning turning,
      Landing landings,
      Refits refits,
      TargetCheck target,
      Carrying carrying) {
    this.name = name;
    this.moves = moves;
    this.turning = turning;
    this.landings = landings;
    this.refits = refits;
    this.target = target;
    this.carrying = carrying;
  }

  @Override
  public String name() {
    return name;
  }

  @Override
  public boolean changesMachines() {
    return true;
  }

  @Override
  public Optional<String> holdsOn(Work work) {
    return work.has(MoveNotes.LANDED)
        ? Optional.of("the machines have landed; undo the move when it is over")
        : Optional.empty();
  }

  /** A failback goes home, a cutover away. */
  private Side winner() {
    return name.equals("failback") ? Side.HOME : Side.AWAY;
  }

  @Override
  public List<Step> steps(Work work) {
    List<Step> steps = new ArrayList<>();
    if (winner() == Side.AWAY) {
      steps.add(
          new Step(
              "target",
              "Ask the target what it takes now",
              w ->
                  target.before(
                      w, MoveDesk.standing(!w.input().path("override").asText("").isEmpty()))));
    }
    if (winner() == Side.HOME) {
      steps.add(new Step("room", "See that the disks fit", w -> target.room(w, winner())));
    }
    steps.add(new Step("pause", "Hold back the timetable", moves::pause));
    steps.add(new Step("quiet", "Wait for the running pass", moves::quiet));
    steps.add(
        new Step(
            "look",
            "Look into the guests while they still run",
            w -> refits.lookFirst(w, winner())));
    steps.add(
        new Step(
            "near",
            "Pass once more while the machines still run",
            w -> moves.pass(w, "near", true)));
    steps.add(new Step("yards", "Start the yards for the refit", w -> refits.prepare(w, winner())));
    steps.add(
        new Step("stop", "Stop and fence the machines", w -> moves.stop(w, winner().other())));
    steps.add(new Step("last", "Ship the last changes", w -> moves.pass(w, "last", true)));
    steps.add(
        new Step("arrived", "Wait for disks that are carried", w -> carrying.arrived(w, winner())));
    steps.add(new Step("clone", "Clone the point", w -> landings.cloneVolumes(w, winner())));
    steps.add(
        new Step("define", "Give the machines their disks", w -> landings.define(w, winner())));
    steps.add(
        new Step(
            "arm", "Track changes from the first instruction", w -> landings.arm(w, winner())));
    steps.add(new Step("refit", "Refit the guests", w -> refits.apply(w, winner())));
    steps.addAll(landings.startSteps(work, winner()));
    steps.add(new Step("land", "Record where the machines run", this::land));
    steps.add(new Step("turn", "Turn replication round", this::turn));
    steps.add(new Step("dossier", "Write the dossier", this::dossier));
    return steps;
  }

  @Override
  public List<Step> backOut(Work work) {
    if (work.has(MoveNotes.LANDED)) {
      return List.of();
    }
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("end-pass", "End its pass", moves::endOwn));
    steps.add(new Step("drop-yards", "Remove the yards", w -> refits.dropYards(w, winner())));
    if (work.has(MoveNotes.STOPPED_AT)) {
      steps.add(
          Step.untilDone(
              "take-back",
              "Remove what was made at the target",
              w -> landings.undoTarget(w, winner())));
      steps.add(
          Step.untilDone(
              "restart",
              "Start the machines where they were",
              w -> moves.restart(w, winner().other())));
    }
    steps.add(new Step("resume", "Let the timetable go on", moves::resume));
    return steps;
  }

  private Outcome land(Work w) {
    w.makeOnce(
        MoveNotes.LANDED,
        s -> {
          landings.land(s, w, winner());
          return true;
        });
    return Outcome.done("at " + moves.state(w).site(winner()).name);
  }

  private Outcome turn(Work w) {
    Outcome done =
        turning.turn(
            w,
            new Turning.Turn(
                winner(), Landing.armName(w), Optional.of(moves.point(w)), true, Map.of()));
    turning.dropOlderLegs(w);
    return done;
  }

  private Outcome dossier(Work w) {
    TowState state = moves.state(w);
    PointEntity point = moves.point(w);
    Instant stopped = w.need(MoveNotes.STOPPED_AT);
    Instant up = w.need(MoveNotes.UP_AT);
    Map<String, Object> record = new LinkedHashMap<>();
    record.put("kind", name);
    record.put("from", state.site(winner().other()).name);
    record.put("to", state.site(winner()).name);
    record.put("approvedBy", w.startedBy());
    record.put("override", w.input().path("override").asText(""));
    record.put("point", point.number);
    record.put("asOf", point.asOf.toString());
    carrying.tell(w, record);
    landings.tell(w, record);
    record.put("lastPassBytesSent", point.sent);
    record.put("stoppedAt", stopped.toString());
    record.put("healthyAt", up.toString());
    record.put("downtimeSeconds", Duration.between(stopped, up).toMillis() / 1000.0);
    record.put("digests", Moves.digests(point, state));
    moves.dossier(w, name, record);
    return Outcome.done("down for " + Duration.between(stopped, up).toMillis() / 1000.0 + " s");
  }
}
