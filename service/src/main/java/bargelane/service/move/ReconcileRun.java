package bargelane.service.move;

import bargelane.api.Divergence;
import bargelane.blocks.Ranges;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.site.Capabilities.Reach;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassDisk;
import bargelane.service.replication.PassEntity;
import bargelane.service.replication.Passes;
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
import bargelane.sites.Compute;
import bargelane.sites.Source;
import bargelane.text.Sizes;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Brings two sides together again after a failover. The side that comes back is fenced before
 * anything else; then each side's changes since the common point are found, by tracking where it
 * survived and by comparing digests where not. With a side to keep, the other's disks are frozen
 * and kept, and replication begins from the kept side with what either side changed.
 */
final class ReconcileRun implements RunKind {

  private final Services services;
  private final Moves moves;
  private final Turning turning;

  ReconcileRun(Services services, Moves moves, Turning turning) {
    this.services = services;
    this.moves = moves;
    this.turning = turning;
  }

  @Override
  public String name() {
    return "reconcile";
  }

  @Override
  public boolean changesMachines() {
    return true;
  }

  @Override
  public List<Step> steps(Work work) {
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("fence", "Fence the side that came back", this::fence));
    steps.add(
        new Step(
            "survey-back",
            "Find what the side that came back changed",
            w -> tally(w, returned(w), "back")));
    if (givesUpRunning(work)) {
      // What it writes after it was looked at would be in nobody's set.
      steps.add(
          new Step(
              "stop-running",
              "Stop and fence the side that is given up",
              w -> moves.stop(w, returned(w).other())));
    }
    steps.add(
        new Step(
            "survey-running",
            "Find what the running side changed",
            w -> tally(w, returned(w).other(), "running")));
    steps.add(new Step("measure", "Show the divergence", this::measure));
    if (!work.input().path("keep").asText("").isEmpty()) {
      steps.add(new Step("choose", "Let only the kept side run", this::choose));
      steps.add(new Step("turn", "Begin replication from the kept side", this::turn));
      steps.add(new Step("first", "Ship what either side changed", this::first));
      steps.add(new Step("dossier", "Write the dossier", this::dossier));
    }
    steps.add(new Step("release", "Remove the snapshots", this::release));
    return steps;
  }

  @Override
  public List<Step> backOut(Work work) {
    List<Step> steps = new ArrayList<>();
    if (work.has(MoveNotes.STOPPED_AT) && !work.has(MoveNotes.CHOSEN)) {
      steps.add(
          Step.untilDone(
              "fence-again", "Stop and fence the side that came back", this::fenceAgain));
      steps.add(
          Step.untilDone(
              "restart",
              "Start the machines where they ran",
              w -> moves.restart(w, returned(w).other())));
    }
    steps.add(new Step("release", "Remove the snapshots", this::release));
    return steps;
  }

  @Override
  public Optional<String> holdsOn(Work work) {
    return work.has(MoveNotes.CHOSEN)
        ? Optional.of("the kept side runs, and replication begins from it")
        : Optional.empty();
  }

  /** Whether the side that is kept is the one that came back, so that the running one stops. */
  private boolean givesUpRunning(Work w) {
    // Asked for before the run is stored, so that nothing can be noted yet.
    return !w.input().path("keep").asText("").isEmpty()
        && keep(w) == w.get(MoveNotes.RETURNED).orElseGet(() -> cameBack(w));
  }

  private Parting parting(Work w) {
    return Json.read(
        Optional.ofNullable(moves.state(w).tow.divergence)
            .orElseThrow(
                () ->
                    new RunFailure(
                        "not-diverged", "the sides did not diverge", "nothing is to be done")),
        Parting.class);
  }

  private Side returned(Work w) {
    return w.once(MoveNotes.RETURNED, () -> cameBack(w));
  }

  private Side cameBack(Work w) {
    return Side.valueOf(parting(w).winner()).other();
  }

  private Side keep(Work w) {
    String site = w.input().path("keep").asText();
    TowState state = moves.state(w);
    return site.equals(state.home.name) || site.equals(state.home.id) ? Side.HOME : Side.AWAY;
  }

  private Outcome fence(Work w) {
    Side back = returned(w);
    TowState state = moves.state(w);
    Compute compute = moves.compute(state, back);
    boolean ran = false;
    for (MemberEntity m : state.stopOrder()) {
      Berth berth = TowState.berth(m, back).orElseThrow();
      ran |= compute.machine(berth.platformId()).on();
      compute.stop(berth.platformId());
      compute.fence(berth.platformId());
    }
    Instant now = services.clock().instant();
    String since = parting(w).runningSince();
    if (ran && !w.has(MoveNotes.OVERLAP_SECONDS)) {
      // An upper bound: it may have come back at any time since the other side was started.
      w.put(
          MoveNotes.OVERLAP_SECONDS,
          Duration.between(Instant.parse(since), now).toMillis() / 1000.0);
    }
    return Outcome.done(
        ran
            ? "it was running and is stopped now; both sides may have run since " + since
            : "it was not running");
  }

  private Outcome fenceAgain(Work w) {
    Side back = returned(w);
    TowState state = moves.state(w);
    for (MemberEntity m : state.stopOrder()) {
      moves.compute(state, back).stop(TowState.berth(m, back).orElseThrow().platformId());
      moves.compute(state, back).fence(TowState.berth(m, back).orElseThrow().platformId());
    }
    return Outcome.done("");
  }

  private String snapshotName(Work w, String key) {
    return "bl-" + w.runId() + "-" + key;
  }

  private Outcome tally(Work w, Side side, String key) {
    TowState state = moves.state(w);
    Parting parting = parting(w);
    PointEntity common = services.db().tx(s -> s.find(PointEntity.class, parting.pointId()));
    Source source = moves.driver(state, side).source();
    Reach reach = state.reach(side);
    boolean tracked =
        side != returned(w) && source.markers().containsAll(state.names(parting.marker(), side));
    String passId =
        w.makeOnce(
            MoveNotes.tally(key),
            s ->
                Passes.create(
                        s,
                        services.clock(),
                        w.runId(),
                        w.subjectId(),
                        null,
                        0,
                        PassKind.TALLY,
                        false)
                    .id);
    for (MemberEntity m : state.members) {
      String name = TowState.nameFor(snapshotName(w, key), reach, m);
      String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "snapshot", name);
      services.ledger().plan(state.siteId(side), w.subjectId(), "marker", name);
      List<String> disks =
          reach == Reach.SITE
              ? state.members.stream()
                  .flatMap(x -> TowState.berth(x, side).orElseThrow().disks().stream())
                  .toList()
              : TowState.berth(m, side).orElseThrow().disks();
      source.snapshot(
          name,
          owner,
          disks,
          tracked ? Optional.of(TowState.nameFor(parting.marker(), reach, m)) : Optional.empty(),
          false);
    }
    services
        .passes()
        .offer(
            passId,
            pass -> {
              List<PassDisk> disks = new ArrayList<>();
              for (MemberEntity m : state.members) {
                List<String> volumes = TowState.berth(m, side).orElseThrow().disks();
                for (int i = 0; i < volumes.size(); i++) {
                  if (!Moves.holds(common, m.id, i)) {
                    // It came after the point: nothing is there to hold it against.
                    continue;
                  }
                  disks.add(
                      PassDisk.tally(
                          disks.size(),
                          m.id,
                          m.name,
                          i,
                          new PassDisk.From(
                              state.siteId(side),
                              volumes.get(i),
                              TowState.nameFor(snapshotName(w, key), reach, m),
                              tracked ? TowState.nameFor(parting.marker(), reach, m) : "",
                              ""),
                          Moves.volume(common, m.id, i).digestsIn(common),
                          Plans.facts(state, m).disks().get(i).bytes()));
                }
              }
              pass.disks = Json.text(disks);
            });
    Outcome outcome = services.passes().shipped(passId);
    if (outcome instanceof Outcome.Done) {
      services.passes().seal(passId);
      // Not held longer than it is read: the next pass may need to take another of the same disks.
      state
          .names(snapshotName(w, key), side)
          .forEach(n -> services.ledger().remove(state.siteId(side), "snapshot", n));
      services
          .db()
          .run(
              s -> {
                PassEntity pass = s.find(PassEntity.class, passId);
                if (pass.endedAt == null) {
                  Passes.close(pass, PassState.COMPLETE, services.clock().instant());
                }
              });
      return Outcome.done(
          Sizes.text(bytes(w, key))
              + " differ from the common point, found by "
              + (tracked ? "its tracking" : "comparing digests"));
    }
    return outcome;
  }

  private List<PassDisk> disks(Work w, String key) {
    return services
        .db()
        .tx(s -> Passes.disks(s.find(PassEntity.class, w.need(MoveNotes.tally(key)))));
  }

  private long bytes(Work w, String key) {
    return disks(w, key).stream().mapToLong(PassDisk::moved).sum();
  }

  private Outcome measure(Work w) {
    TowState state = moves.state(w);
    // Nothing is chosen, turned round or removed of what another service keeps by now.
    services.custody().held(state);
    Side back = returned(w);
    PointEntity common = services.db().tx(s -> s.find(PointEntity.class, parting(w).pointId()));
    long home = bytes(w, back == Side.HOME ? "back" : "running");
    long away = bytes(w, back == Side.HOME ? "running" : "back");
    Divergence d =
        new Divergence(
            "point " + common.number + " as of " + common.asOf.truncatedTo(ChronoUnit.SECONDS),
            state.home.name,
            home,
            state.away.name,
            away,
            w.get(MoveNotes.OVERLAP_SECONDS).orElse(null));
    services
        .db()
        .run(
            s -> {
              TowEntity tow = s.find(TowEntity.class, w.subjectId());
              Parting p = parting(w);
              tow.divergence =
                  Json.text(new Parting(p.winner(), p.marker(), p.pointId(), p.runningSince(), d));
            });
    w.result(d);
    return Outcome.done(
        state.home.name
            + " changed "
            + Sizes.text(home)
            + ", "
            + state.away.name
            + " "
            + Sizes.text(away)
            + " since "
            + d.commonPoint());
  }

  private Outcome choose(Work w) {
    Side keep = keep(w);
    if (keep != returned(w)) {
      w.once(MoveNotes.CHOSEN, () -> true);
      return Outcome.done(moves.state(w).site(keep).name + " runs on");
    }
    Outcome started = w.has(MoveNotes.CHOSEN) ? Outcome.done("") : moves.start(w, keep, Map.of());
    if (started instanceof Outcome.Done) {
      w.makeOnce(
          MoveNotes.CHOSEN,
          s -> {
            s.find(TowEntity.class, w.subjectId()).landed = keep == Side.AWAY;
            return true;
          });
    }
    return started;
  }

  private Outcome turn(Work w) {
    Side keep = keep(w);
    PointEntity common = services.db().tx(s -> s.find(PointEntity.class, parting(w).pointId()));
    Map<String, String> intents = new HashMap<>(Turning.ranges(disks(w, "back")));
    Turning.ranges(disks(w, "running")).forEach((k, v) -> intents.merge(k, v, ReconcileRun::union));
    // The kept side's changes since its tally are tracked by the marker of that tally's snapshot.
    String marker = snapshotName(w, keep == returned(w) ? "back" : "running");
    return turning.turn(w, new Turning.Turn(keep, marker, Optional.of(common), false, intents));
  }

  private static String union(String a, String b) {
    Ranges ranges = Ranges.parse(a);
    ranges.addAll(Ranges.parse(b));
    return ranges.text();
  }

  /** The new leg's first pass is the timetable's own. */
  private Outcome first(Work w) {
    String leg = w.need(MoveNotes.NEXT_LEG);
    Optional<PointEntity> point =
        services.db().tx(s -> TowState.newestPoint(s, s.find(LegEntity.class, leg)));
    if (point.isEmpty()) {
      return Outcome.waitFor("the first pass is running");
    }
    services
        .db()
        .run(
            s -> {
              TowEntity tow = s.find(TowEntity.class, w.subjectId());
              tow.diverged = false;
            });
    w.put(MoveNotes.FIRST_POINT, point.get().id);
    w.put(MoveNotes.FIRST_SENT, point.get().sent);
    return Outcome.done(
        "point " + point.get().number + ", " + Sizes.text(point.get().sent) + " crossed");
  }

  private Outcome dossier(Work w) {
    Map<String, Object> record = new LinkedHashMap<>();
    record.put("kind", "reconcile");
    record.put("kept", moves.state(w).site(keep(w)).name);
    record.put("approvedBy", w.startedBy());
    record.put("divergence", parting(w).measured());
    record.put("bytesCrossed", w.get(MoveNotes.FIRST_SENT).orElse(0L));
    moves.dossier(w, "reconcile", record);
    return Outcome.done("");
  }

  private Outcome release(Work w) {
    TowState state = moves.state(w);
    String legMarker = state.leg.map(l -> l.marker).orElse("");
    for (String key : List.of("back", "running")) {
      if (!w.has(MoveNotes.tally(key))) {
        continue;
      }
      Side side = key.equals("back") ? returned(w) : returned(w).other();
      services.passes().abandon(w.need(MoveNotes.tally(key)), "given-up", "the tally was given up");
      services
          .db()
          .run(
              s -> {
                PassEntity pass = s.find(PassEntity.class, w.need(MoveNotes.tally(key)));
                if (pass.endedAt == null) {
                  Passes.close(pass, PassState.FAILED, services.clock().instant());
                }
              });
      for (String name : state.names(snapshotName(w, key), side)) {
        services.ledger().remove(state.siteId(side), "snapshot", name);
        if (!legMarker.equals(snapshotName(w, key))) {
          services.ledger().remove(state.siteId(side), "marker", name);
        }
      }
    }
    return Outcome.done("");
  }
}
