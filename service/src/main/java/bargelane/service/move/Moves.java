package bargelane.service.move;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.replication.LegState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.Remedies;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassNotes;
import bargelane.service.replication.PassRun;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TimetableTask;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Runs;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.text.Sizes;
import java.time.Duration;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.hibernate.LockMode;

/**
 * Steps that cutover, failback, failover, test and undo are put together from. Each decides from
 * the site what is left to do.
 */
final class Moves {

  private static final Duration PATIENT = Duration.ofSeconds(10);

  /** Machines of a rank that are told to stop at once: each is waited for. */
  private static final int STOPS = 8;

  private final Services services;
  private final Starts starts;

  Moves(Services services) {
    this.services = services;
    this.starts = new Starts(new Consoles(services.db(), services.clock()), services.clock());
  }

  Starts starts() {
    return starts;
  }

  TowState state(Work w) {
    return services.db().tx(s -> TowState.load(s, w.subjectId()));
  }

  Compute compute(TowState state, Side side) {
    return driver(state, side).compute();
  }

  SiteDriver driver(TowState state, Side side) {
    return services.sites().driver(state.siteId(side));
  }

  /** Holds back the timetable's passes of the leg. */
  Outcome pause(Work w) {
    String id = legId(w);
    services.custody().held(state(w), leg(w));
    services.db().run(s -> s.find(LegEntity.class, id).state = LegState.PAUSED);
    return Outcome.done("");
  }

  /** The leg that this run began on. */
  String legId(Work w) {
    return w.once(
        MoveNotes.LEG,
        () ->
            state(w)
                .leg
                .map(l -> l.id)
                .orElseThrow(
                    () ->
                        new RunFailure(
                            "not-protected",
                            "no replication runs",
                            Action.WAVE_LOAD.of(state(w).tow.name))));
  }

  LegEntity leg(Work w) {
    String id = legId(w);
    return services.db().tx(s -> s.find(LegEntity.class, id));
  }

  /** Lets the timetable's passes go on. */
  Outcome resume(Work w) {
    String id = legId(w);
    services
        .db()
        .run(
            s -> {
              LegEntity leg = s.find(LegEntity.class, id);
              if (leg.state == LegState.PAUSED) {
                leg.state = LegState.OPEN;
              }
              TimetableTask.watch(s, leg.id, services.clock().instant());
            });
    services.runs().look();
    return Outcome.done("");
  }

  private List<RunEntity> openPasses(Work w) {
    return services.db().tx(s -> Runs.open(s, PassRun.KIND, w.subjectId())).stream()
        .filter(r -> !w.runId().equals(r.parentId))
        .toList();
  }

  /** Waits until the timetable's pass, if one runs, is over. */
  Outcome quiet(Work w) {
    return openPasses(w).isEmpty() ? Outcome.done("") : Outcome.waitFor("a pass is running");
  }

  /** Ends the timetable's pass, if one runs. */
  Outcome endPasses(Work w) {
    List<RunEntity> open = openPasses(w);
    open.forEach(r -> services.runs().giveUp(r.id, "failed-over", "the source was given up"));
    return open.isEmpty() ? Outcome.done("") : Outcome.waitFor("a pass is being backed out");
  }

  /**
   * Makes a pass as part of this run, and waits for its point.
   *
   * @param move whether machines are down for it, or soon will be
   */
  Outcome pass(Work w, String key, boolean move) {
    LegEntity leg = leg(w);
    String run =
        w.makeOnce(
            MoveNotes.pass(key),
            s ->
                PassRun.start(
                    s,
                    services.runs(),
                    s.find(TowEntity.class, w.subjectId()),
                    leg.id,
                    new PassRun.For(w.runId(), move),
                    w.startedBy()));
    Optional<Outcome.Wait> open = awaited(run, move ? Outcome.LOOK_AGAIN : PATIENT);
    if (open.isPresent()) {
      return open.get();
    }
    return Outcome.done(
        services
            .db()
            .tx(s -> TowState.newestPoint(s, leg))
            .map(
                p ->
                    "point "
                        + p.number
                        + " as of "
                        + p.asOf.truncatedTo(ChronoUnit.SECONDS)
                        + ", "
                        + Sizes.text(p.sent)
                        + " sent")
            .orElse(""));
  }

  /**
   * Waits for a run that another began as part of itself; its end wakes that one, which does not
   * rely on it.
   *
   * @return empty once it is done
   * @throws RunFailure as it failed
   */
  Optional<Outcome.Wait> awaited(String run, Duration patience) {
    RunEntity part = services.db().tx(s -> s.find(RunEntity.class, run));
    switch (part.state) {
      case DONE -> {
        return Optional.empty();
      }
      case FAILED -> {
        Problem problem = Json.read(part.problem, Problem.class);
        throw new RunFailure(problem.code(), problem.detail(), Remedies.read(problem.remedy()));
      }
      default -> {
        services.runs().look();
        return Optional.of(new Outcome.Wait("run " + run, patience));
      }
    }
  }

  /** Ends what this run began as part of itself and still runs: nothing is done for it any more. */
  Outcome endOwn(Work w) {
    List<RunEntity> open =
        services.db().tx(s -> Runs.open(s, w.subjectId())).stream()
            .filter(r -> w.runId().equals(r.parentId))
            .toList();
    open.forEach(
        r -> services.runs().giveUp(r.id, "given-up", "the run that it is part of is over"));
    return open.isEmpty()
        ? Outcome.done("")
        : Outcome.waitFor(open.get(0).title + " is being backed out");
  }

  /**
   * Stops and fences every machine at a side, last rank first, those of a rank together. That one
   * is stopped is noted before it is asked for: whether it was is not known when no answer comes.
   */
  Outcome stop(Work w, Side side) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    w.once(MoveNotes.STOPPED_AT, () -> services.clock().instant());
    List<Integer> ranks = new ArrayList<>(state.ranks());
    Collections.reverse(ranks);
    for (int rank : ranks) {
      Together.each(
          state.ofRank(rank).stream().filter(m -> TowState.berth(m, side).isPresent()).toList(),
          STOPS,
          m -> {
            String id = TowState.berth(m, side).orElseThrow().platformId();
            if (w.notes().get(MoveNotes.RAN, m.id).isEmpty()) {
              // One that a version before has stopped is taken for one that ran.
              boolean stopped = w.notes().get(MoveNotes.STOPPED, m.id).isPresent();
              w.put(MoveNotes.RAN, m.id, stopped || compute.machine(id).on());
            }
            w.put(MoveNotes.STOPPED, m.id, true);
            compute.stop(id);
            compute.fence(id);
          });
    }
    return Outcome.done(
        "stopped and fenced: "
            + String.join(", ", state.stopOrder().stream().map(m -> m.name).toList()));
  }

  /**
   * Takes the fence away and starts every machine at a side, first rank first, until they answer.
   *
   * @param ran whether each did, by member, where that was seen; one that did not stays off
   */
  Outcome start(Work w, Side side, Map<String, Boolean> ran) {
    return start(w, side, state(w).members, ran);
  }

  /** Starts again those that this run may have stopped at a side, should it be there. */
  Outcome restart(Work w, Side side) {
    TowState state = state(w);
    Map<String, Boolean> stopped = w.get(MoveNotes.STOPPED).orElse(Map.of());
    List<MemberEntity> members =
        state.members.stream().filter(m -> stopped.containsKey(m.id)).toList();
    if (members.isEmpty()) {
      return Outcome.done("none was stopped");
    }
    Optional<String> lost = Lost.by(services.db(), w.runId(), side);
    if (lost.isPresent()) {
      return Outcome.done(state.site(side).name + " was declared lost by " + lost.get());
    }
    return start(w, side, members, w.get(MoveNotes.RAN).orElse(Map.of()));
  }

  private Outcome start(Work w, Side side, List<MemberEntity> members, Map<String, Boolean> ran) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    List<MemberEntity> off = members.stream().filter(m -> !ran.getOrDefault(m.id, true)).toList();
    off.forEach(m -> compute.unfence(TowState.berth(m, side).orElseThrow().platformId()));
    List<MemberEntity> on = members.stream().filter(m -> !off.contains(m)).toList();
    Set<String> wanted = on.stream().map(m -> m.id).collect(Collectors.toSet());
    for (int rank : state.ranks()) {
      List<MemberEntity> ofRank =
          state.ofRank(rank).stream().filter(m -> wanted.contains(m.id)).toList();
      for (MemberEntity m : ofRank) {
        compute.unfence(TowState.berth(m, side).orElseThrow().platformId());
        compute.start(TowState.berth(m, side).orElseThrow().platformId());
      }
      for (MemberEntity m : ofRank) {
        Optional<String> bad =
            starts.look(
                w, state, side, m, compute, TowState.berth(m, side).orElseThrow().platformId());
        if (bad.isPresent()) {
          return Outcome.waitFor(bad.get());
        }
      }
    }
    return Outcome.done(named("running", on, "off as before", off));
  }

  /** Two lists of machines, as {@code running: a, b; off as before: c}; none where it is empty. */
  static String named(
      String what, List<MemberEntity> some, String instead, List<MemberEntity> others) {
    return Stream.of(Map.entry(what, some), Map.entry(instead, others))
        .filter(e -> !e.getValue().isEmpty())
        .map(
            e ->
                e.getKey()
                    + ": "
                    + String.join(", ", e.getValue().stream().map(m -> m.name).toList()))
        .collect(Collectors.joining("; "));
  }

  /** The point that is started: asked for by id, or the leg's newest. */
  PointEntity point(Work w) {
    LegEntity leg = leg(w);
    String asked = w.input().path("point").asText("");
    String id =
        w.makeOnce(
            PassNotes.POINT,
            s -> {
              // Between the choice and its note nobody thins the leg's points.
              s.find(LegEntity.class, leg.id, LockMode.PESSIMISTIC_WRITE);
              Optional<PointEntity> found =
                  asked.isEmpty() ? TowState.newestPoint(s, leg) : Tows.point(s, leg, asked);
              return found.orElseThrow(
                      () ->
                          new RunFailure(
                              "point-unknown",
                              asked.isEmpty()
                                  ? "there is no complete recovery point"
                                  : "there is no recovery point '" + asked + "' on this side",
                              Remedy.of("list them", Action.POINT_LIST, state(w).tow.name)))
                  .id;
            });
    return services
        .db()
        .tx(s -> Optional.ofNullable(s.find(PointEntity.class, id)))
        .orElseThrow(
            () ->
                new RunFailure(
                    "point-gone", "recovery point " + id + " was removed", "choose a newer one"));
  }

  /** Keeps the record of a finished move. */
  void dossier(Work w, String kind, Map<String, Object> record) {
    services
        .db()
        .run(
            s -> {
              if (Db.list(s, Object.class, "from DossierEntity where runId = ?1", w.runId())
                  .isEmpty()) {
                DossierEntity d = new DossierEntity();
                d.id = Ids.next("dos");
                d.runId = w.runId();
                d.towId = w.subjectId();
                d.kind = kind;
                d.at = services.clock().instant();
                d.record = Json.text(record);
                s.persist(d);
              }
            });
    w.result(record);
  }

  /** Whether a point has a disk of a member. */
  static boolean holds(PointEntity point, String member, int disk) {
    return PointVolume.of(point).stream()
        .anyMatch(v -> v.memberId().equals(member) && v.disk() == disk);
  }

  /** One disk of a point. */
  static PointVolume volume(PointEntity point, String member, int disk) {
    return PointVolume.of(point).stream()
        .filter(v -> v.memberId().equals(member) && v.disk() == disk)
        .findFirst()
        .orElseThrow(
            () ->
                new RunFailure(
                    "disk-missing",
                    "point " + point.number + " holds no disk " + disk + " of " + member,
                    "choose a point that does"));
  }

  /** Digests of the point that was started, by machine and disk. */
  static Map<String, String> digests(PointEntity point, TowState state) {
    Map<String, String> digests = new LinkedHashMap<>();
    for (PointVolume v : PointVolume.of(point)) {
      String name =
          state.members.stream()
              .filter(m -> m.id.equals(v.memberId()))
              .map(m -> m.name)
              .findFirst()
              .orElse(v.memberId());
      digests.put(name + " disk " + v.disk(), v.root());
    }
    return digests;
  }
}
