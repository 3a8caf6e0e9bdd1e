package bargelane.service.move;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.replication.LegState;
import bargelane.core.run.RunState;
import bargelane.core.wave.WaveVerb;
import bargelane.service.plan.Plans;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TimetableTask;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Notes;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Takes the last cutover or failback back: the machines run again where they ran before, on the
 * disks that were frozen then, and the replication of then goes on. What was written since the
 * landing is given up.
 */
final class UndoRun implements RunKind {

  private final Services services;
  private final Moves moves;
  private final Turning turning;
  private final Landing landings;
  private final Carrying carrying;

  UndoRun(Services services, Moves moves, Turning turning, Landing landings, Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.turning = turning;
    this.landings = landings;
    this.carrying = carrying;
  }

  @Override
  public String name() {
    return "undo";
  }

  @Override
  public boolean changesMachines() {
    return true;
  }

  /**
   * Once machines are stopped there is only forward: nothing keeps what would be needed to go back.
   */
  @Override
  public Optional<String> holdsOn(Work work) {
    return work.has(MoveNotes.STOPPED_AT)
        ? Optional.of("its machines are being started where they were")
        : Optional.empty();
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("pause", "Hold back the timetable", moves::pause),
        new Step("quiet", "Wait for the running pass", moves::quiet),
        new Step("stop", "Stop the machines where they landed", this::stop),
        Step.untilDone("take-back", "Give the machines there their former disks", this::takeBack),
        Step.untilDone(
            "drop",
            "Remove the replication that began with the landing",
            w -> {
              // Its points may hold the very disks that the machines are started on.
              turning.dropLeg(moves.legId(w));
              return Outcome.done("");
            }),
        Step.untilDone("start", "Start the machines where they were", this::start),
        new Step("reopen", "Go on with the replication of then", this::reopen));
  }

  /**
   * Before anything is taken back: what was stopped runs again where it landed. From there on each
   * step is tried until it works.
   */
  @Override
  public List<Step> backOut(Work work) {
    List<Step> steps = new ArrayList<>();
    if (work.has(MoveNotes.STOPPED_AT)) {
      steps.add(
          Step.untilDone(
              "restart", "Start the machines where they landed", w -> moves.restart(w, landed(w))));
    }
    steps.add(new Step("resume", "Let the timetable go on", moves::resume));
    return steps;
  }

  /** The run whose landing is taken back: the one that began the leg that is open now. */
  static Optional<RunEntity> landing(org.hibernate.Session s, String legId) {
    return Optional.ofNullable(s.find(LegEntity.class, legId).begunBy)
        .map(id -> s.find(RunEntity.class, id))
        .filter(
            r ->
                r.state == RunState.DONE
                    && (r.kind.equals(WaveVerb.CUTOVER.word())
                        || r.kind.equals(WaveVerb.FAILBACK.word())));
  }

  private RunEntity landing(Work w) {
    String leg = moves.legId(w);
    String id =
        w.once(
            MoveNotes.LANDING,
            () ->
                services
                    .db()
                    .tx(s -> landing(s, leg))
                    .map(r -> r.id)
                    .orElseThrow(
                        () ->
                            new RunFailure(
                                "nothing-to-undo",
                                "the last move can't be taken back",
                                Remedy.of(
                                    "fail back instead",
                                    Action.WAVE_FAILBACK,
                                    moves.state(w).tow.name))));
    return services.db().tx(s -> s.find(RunEntity.class, id));
  }

  private Side landed(Work w) {
    return landing(w).kind.equals(WaveVerb.FAILBACK.word()) ? Side.HOME : Side.AWAY;
  }

  private Outcome stop(Work w) {
    carrying.untouched(w, landed(w).other(), Notes.of(landing(w)));
    return moves.stop(w, landed(w));
  }

  private Outcome start(Work w) {
    return moves.start(
        w, landed(w).other(), Notes.of(landing(w)).get(MoveNotes.RAN).orElse(Map.of()));
  }

  private Outcome takeBack(Work w) {
    RunEntity landing = landing(w);
    Notes notes = Notes.of(landing);
    Side side = landed(w);
    TowState state = moves.state(w);
    for (MemberEntity m : state.members) {
      Optional<Berth> previous = notes.get(MoveNotes.PREVIOUS, m.id);
      if (previous.isPresent()) {
        landings.giveBack(state, side, notes, m, previous.get());
      } else {
        services
            .ledger()
            .remove(
                state.siteId(side), "machine", notes.get(MoveNotes.CALLED, m.id).orElse(m.name));
      }
    }
    landings.takeUpAgain(state, side, notes);
    state
        .names("bl-" + landing.id + "-arm", side)
        .forEach(n -> services.ledger().remove(state.siteId(side), "marker", n));
    for (MemberEntity m : state.members) {
      for (int i = 0; i < Plans.facts(state, m).disks().size(); i++) {
        services
            .ledger()
            .remove(state.siteId(side), "volume", VolumeNames.volume(landing.id, m, i));
      }
    }
    services
        .db()
        .run(
            s -> {
              for (MemberEntity m : TowState.load(s, w.subjectId()).members) {
                Optional<Berth> before = notes.get(MoveNotes.PREVIOUS, m.id);
                Optional<Berth> landed = TowState.berth(m, side);
                TowState.berth(m, side, before.orElse(null));
                if (side == Side.HOME && before.isPresent() && landed.isPresent()) {
                  TowState.follow(s, m, landed.get(), before.get());
                }
              }
            });
    return Outcome.done("");
  }

  private Outcome reopen(Work w) {
    String former = Notes.of(landing(w)).need(MoveNotes.LEG);
    String present = moves.legId(w);
    Side landed = landed(w);
    services
        .db()
        .run(
            s -> {
              s.find(LegEntity.class, present).state = LegState.CLOSED;
              s.flush();
              s.find(LegEntity.class, former).state = LegState.OPEN;
              s.find(TowEntity.class, w.subjectId()).landed = landed == Side.HOME;
              TimetableTask.watch(s, former, services.clock().instant());
            });
    services.runs().look();
    return Outcome.done("the next pass is a delta");
  }
}
