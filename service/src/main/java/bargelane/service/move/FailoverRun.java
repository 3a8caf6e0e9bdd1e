package bargelane.service.move;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.sites.SiteException;
import bargelane.text.Durations;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Starts a recovery point when the source is lost. The source is fenced if it can be reached, and
 * declared lost if not.
 */
final class FailoverRun implements RunKind {

  private final Services services;
  private final Moves moves;
  private final Landing landings;
  private final Refits refits;
  private final TargetCheck target;
  private final Carrying carrying;

  FailoverRun(
      Services services,
      Moves moves,
      Landing landings,
      Refits refits,
      TargetCheck target,
      Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.landings = landings;
    this.refits = refits;
    this.target = target;
    this.carrying = carrying;
  }

  @Override
  public String name() {
    return "failover";
  }

  @Override
  public boolean changesMachines() {
    return true;
  }

  @Override
  public Optional<String> holdsOn(Work work) {
    return work.has(MoveNotes.LANDED)
        ? Optional.of("the machines have landed; fail back or reconcile when it is over")
        : Optional.empty();
  }

  private Side winner(Work w) {
    return w.once(MoveNotes.WINNER, () -> TowState.source(moves.leg(w)).other());
  }

  @Override
  public List<Step> steps(Work work) {
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("exposure", "Note the exposure", this::exposure));
    steps.add(new Step("room", "See that the disks fit", w -> target.roomForPoint(w, winner(w))));
    steps.add(new Step("pause", "Hold back the timetable", moves::pause));
    steps.add(new Step("end-passes", "End the running pass", moves::endPasses));
    steps.add(
        new Step("yards", "Start the yards for the refit", w -> refits.prepare(w, winner(w))));
    steps.add(new Step("source", "See that the source can't run on", this::source));
    steps.add(new Step("clone", "Clone the point", w -> landings.cloneVolumes(w, winner(w))));
    steps.add(
        new Step("define", "Give the machines their disks", w -> landings.define(w, winner(w))));
    steps.add(
        new Step(
            "arm", "Track changes from the first instruction", w -> landings.arm(w, winner(w))));
    steps.add(new Step("refit", "Refit the guests", w -> refits.apply(w, winner(w))));
    for (int rank : moves.state(work).ranks()) {
      steps.add(
          new Step(
              "start-" + rank,
              "Start rank " + rank + " and probe it",
              w ->
                  landings
                      .startSteps(w, winner(w), true)
                      .get(moves.state(w).ranks().indexOf(rank))
                      .action()
                      .run(w)));
    }
    steps.add(new Step("land", "Record where the machines run", this::land));
    steps.add(new Step("dossier", "Write the dossier", this::dossier));
    return steps;
  }

  @Override
  public List<Step> backOut(Work work) {
    if (work.has(MoveNotes.LANDED)) {
      return List.of();
    }
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("drop-yards", "Remove the yards", w -> refits.dropYards(w, winner(w))));
    if (work.has(MoveNotes.STOPPED_AT)) {
      steps.add(
          Step.untilDone(
              "take-back",
              "Remove what was made at the target",
              w -> landings.undoTarget(w, winner(w))));
      steps.add(Step.untilDone("restart", "Start the machines where they were", this::restart));
    }
    steps.add(new Step("resume", "Let the timetable go on", moves::resume));
    return steps;
  }

  private Outcome exposure(Work w) {
    PointEntity point = moves.point(w);
    double seconds =
        w.once(
            MoveNotes.EXPOSURE_SECONDS,
            () -> Duration.between(point.asOf, services.clock().instant()).toMillis() / 1000.0);
    return Outcome.done("point " + point.number + " is " + Durations.seconds(seconds) + " old");
  }

  private Outcome source(Work w) {
    try {
      answers(w, winner(w).other());
      Outcome stopped = moves.stop(w, winner(w).other());
      w.put(MoveNotes.SOURCE_FENCED, true);
      return stopped;
    } catch (SiteException e) {
      if (declared(w) && e.kind() == SiteException.Kind.MAY_PASS) {
        return Outcome.done("declared lost by " + w.startedBy() + ": " + e.getMessage());
      }
      throw new RunFailure(
          "source-not-fenced",
          "it can't be seen that the machines at the source are stopped: " + e.getMessage(),
          declared(w)
              // It answers, so that it is not lost.
              ? Remedy.of(
                  "see that the site can be used",
                  Action.SITE_CHECK,
                  moves.state(w).site(winner(w).other()).name)
              : Remedy.advice("if the source is lost, say so: --source-lost"));
    }
  }

  /** A source that was declared lost, and is away, is not waited for. */
  private Outcome restart(Work w) {
    Side lost = winner(w).other();
    try {
      return moves.restart(w, lost);
    } catch (SiteException e) {
      if (!declared(w) || e.kind() != SiteException.Kind.MAY_PASS) {
        throw e;
      }
      return Outcome.done(
          moves.state(w).site(lost).name
              + " was declared lost by "
              + w.startedBy()
              + "; machines that were stopped there stay off until somebody starts them: "
              + e.getMessage());
    }
  }

  private static boolean declared(Work w) {
    return w.input().path("sourceLost").asBoolean(false);
  }

  /**
   * Sees that a side answers before a machine there is noted as stopped: a back-out starts again
   * what was, and would wait for a source that had been away all the time.
   *
   * @throws SiteException of kind may-pass if it does not
   */
  private void answers(Work w, Side side) {
    w.once(MoveNotes.STOPPED_AT, () -> services.clock().instant());
    TowState state = moves.state(w);
    for (MemberEntity m : state.members) {
      Optional<Berth> berth = TowState.berth(m, side);
      if (berth.isPresent()) {
        try {
          moves.compute(state, side).machine(berth.get().platformId());
        } catch (SiteException e) {
          // What is final, as of a machine that is gone, is for the stop to judge.
          if (e.kind() == SiteException.Kind.MAY_PASS) {
            throw e;
          }
        }
      }
    }
  }

  private Outcome land(Work w) {
    Side winner = winner(w);
    String point = moves.point(w).id;
    w.makeOnce(
        MoveNotes.LANDED,
        s -> {
          landings.land(s, w, winner);
          TowEntity tow = s.find(TowEntity.class, w.subjectId());
          tow.diverged = true;
          tow.divergence =
              Json.text(
                  new Parting(
                      winner.name(),
                      Landing.armName(w),
                      point,
                      w.get(MoveNotes.UP_AT).map(Instant::toString).orElse(""),
                      null));
          return true;
        });
    return Outcome.done("at " + moves.state(w).site(winner).name);
  }

  private Outcome dossier(Work w) {
    TowState state = moves.state(w);
    PointEntity point = moves.point(w);
    Instant begun = w.startedAt();
    Instant up = w.need(MoveNotes.UP_AT);
    Map<String, Object> record = new LinkedHashMap<>();
    record.put("kind", "failover");
    record.put("from", state.site(winner(w).other()).name);
    record.put("to", state.site(winner(w)).name);
    record.put("approvedBy", w.startedBy());
    record.put("sourceFenced", w.has(MoveNotes.SOURCE_FENCED));
    record.put("point", point.number);
    record.put("asOf", point.asOf.toString());
    carrying.tell(w, record);
    landings.tell(w, record);
    record.put("exposureSeconds", w.need(MoveNotes.EXPOSURE_SECONDS));
    record.put("healthyAt", up.toString());
    record.put("rtoSeconds", Duration.between(begun, up).toMillis() / 1000.0);
    record.put("digests", Moves.digests(point, state));
    moves.dossier(w, "failover", record);
    return Outcome.done(
        "running " + Duration.between(begun, up).toMillis() / 1000.0 + " s after it was asked for");
  }
}
