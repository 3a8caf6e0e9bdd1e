package bargelane.service.plan;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.LegState;
import bargelane.core.run.RunState;
import bargelane.core.wave.Exposure;
import bargelane.core.wave.Gate;
import bargelane.core.wave.Standing;
import bargelane.core.wave.WaveStatus;
import bargelane.core.wave.WaveVerb;
import bargelane.core.word.Worded;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.replication.DifferingDisk;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.site.Inventories;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.hibernate.Session;

/**
 * Where a wave stands at an instant: its machines' places and gates, its exposure, and what follows
 * from them. Computed by the core; here its facts are gathered, once for a page.
 *
 * @param places of the members, in their order
 * @param gates of the members, in their order
 * @param newest the newest point of the leg
 */
public record WaveStanding(
    TowState state,
    List<Preflight.Result> places,
    Map<MemberEntity, List<Gate.State>> gates,
    Exposure exposure,
    Optional<PointEntity> newest,
    boolean protectedNow,
    WaveStatus status) {

  public static WaveStanding of(Session s, TowState state, Instant now) {
    return of(s, new Inventories(s), state, now);
  }

  /**
   * @param shores shared by all that one page asks for, so that it reads each site once
   */
  public static WaveStanding of(Session s, Inventories shores, TowState state, Instant now) {
    List<Preflight.Result> places = Plans.place(s, shores, state);
    Optional<PointEntity> newest = state.leg.flatMap(l -> TowState.newestPoint(s, l));
    Exposure exposure =
        Exposure.at(now, newest.map(p -> p.asOf), Duration.ofSeconds(state.timetable.rpoSeconds));
    boolean settled = state.tow.settledAt != null;
    boolean protectedNow = state.leg.filter(l -> l.state == LegState.OPEN).isPresent();
    int points = settled ? 1 : Tows.countPoints(s, state.tow.id);
    Set<String> vanished =
        Set.copyOf(
            Db.list(
                s,
                String.class,
                "select id from MachineEntity where vanishedAt is not null and id in ?1",
                state.machineIds()));
    Map<MemberEntity, List<Gate.State>> gates = new LinkedHashMap<>();
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      Preflight.Result place = places.get(i);
      gates.put(
          m,
          new Standing(
                  m.name,
                  state.tow.name,
                  vanished.contains(m.machineId),
                  blocking(place, true),
                  state.tow.landed ? List.of() : blocking(place, false),
                  settled ? List.of() : differing(m),
                  protectedNow,
                  points,
                  exposure,
                  test(state, m, place),
                  state.tow.landed,
                  state.tow.diverged,
                  settled)
              .gates());
    }
    return new WaveStanding(
        state,
        places,
        gates,
        exposure,
        newest,
        protectedNow,
        status(s, state, newest.isPresent(), proven(gates)));
  }

  private static List<Finding> blocking(Preflight.Result place, boolean size) {
    return place.findings().stream().filter(f -> f.blocks() && f.code().ofSize() == size).toList();
  }

  private static List<Finding> differing(MemberEntity m) {
    return DifferingDisk.of(m).stream()
        .map(d -> new Finding(d.code(), m.name, d.cause(), d.advice(), Who.ENGINEER))
        .toList();
  }

  private static Optional<Standing.Test> test(
      TowState state, MemberEntity m, Preflight.Result place) {
    return Optional.ofNullable(m.test)
        .map(t -> Json.read(t, Plans.Test.class))
        .map(
            t ->
                new Standing.Test(
                    t.passed(),
                    t.proof() == null || state.tow.landed
                        ? List.of()
                        : t.proof().lapsedBy(Plans.proof(state, m, place.placement())),
                    t.run()));
  }

  private static boolean proven(Map<MemberEntity, List<Gate.State>> gates) {
    return gates.values().stream().allMatch(g -> g.get(Gate.PROVEN.ordinal()).open());
  }

  private static WaveStatus status(Session s, TowState state, boolean hasPoint, boolean proven) {
    return new WaveStatus(
        state.tow.name,
        state.home.name,
        state.away.name,
        state.tow.settledAt != null,
        state.tow.diverged,
        state.tow.divergence != null
            && Json.object(state.tow.divergence).path("measured").isObject(),
        state.tow.landed,
        state.leg.map(l -> l.state),
        state.leg.filter(l -> !l.heldBy.isEmpty()).isPresent(),
        Optional.ofNullable(state.tow.uncheckedSince),
        hasPoint,
        proven,
        undoable(s, state),
        running(s, state.tow.id));
  }

  /** Whether the run whose landing began the present leg can be taken back. */
  private static boolean undoable(Session s, TowState state) {
    return state
        .leg
        .filter(l -> l.begunBy != null)
        .map(l -> s.find(RunEntity.class, l.begunBy))
        .filter(r -> r.state == RunState.DONE)
        .filter(
            r -> r.kind.equals(WaveVerb.CUTOVER.word()) || r.kind.equals(WaveVerb.FAILBACK.word()))
        .isPresent();
  }

  private static Set<WaveVerb> running(Session s, String towId) {
    return Runs.open(s, towId).stream()
        .filter(r -> !r.routine)
        .map(r -> Worded.of(WaveVerb.class, r.kind))
        .collect(Collectors.toSet());
  }

  /** For each gate the machines that have it open. */
  public Map<Gate, Integer> openGates() {
    Map<Gate, Integer> counts = new LinkedHashMap<>();
    for (Gate gate : Gate.values()) {
      counts.put(
          gate, (int) gates.values().stream().filter(g -> g.get(gate.ordinal()).open()).count());
    }
    return counts;
  }

  /** The one thing to do next. */
  public Remedy next() {
    return status.next(gates.values());
  }

  /** The first finding that keeps one of some gates shut, with its machine's name. */
  public Optional<Shut> shut(Set<Gate> wanted) {
    List<Shut> all = new ArrayList<>();
    gates.forEach(
        (member, states) ->
            states.stream()
                .filter(g -> wanted.contains(g.gate()) && !g.open())
                .forEach(g -> all.add(new Shut(g.gate(), member.name, g.shutBy().get(0)))));
    return all.stream().findFirst();
  }

  /** A gate that is shut for a machine, and why. */
  public record Shut(Gate gate, String machine, Finding by) {}
}
