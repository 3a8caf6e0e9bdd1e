package bargelane.service.wave;

import bargelane.api.DossierView;
import bargelane.api.EventView;
import bargelane.api.GateView;
import bargelane.api.LegView;
import bargelane.api.MemberView;
import bargelane.api.Need;
import bargelane.api.Overview;
import bargelane.api.PassView;
import bargelane.api.PlacedNicView;
import bargelane.api.PointView;
import bargelane.api.RunView;
import bargelane.api.WaveCard;
import bargelane.api.WaveView;
import bargelane.core.assess.Sizing;
import bargelane.core.finding.Finding;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.site.Inventory;
import bargelane.core.wave.Exposure;
import bargelane.core.wave.Gate;
import bargelane.core.wave.Standing;
import bargelane.service.assess.SizeChoices;
import bargelane.service.db.Db;
import bargelane.service.db.Json;
import bargelane.service.event.Events;
import bargelane.service.pass.PassEntity;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.site.MachineEntity;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Waves and the overview as they are told: gates from the present facts, exposure from as-of times.
 */
public final class WaveViews {

  private final Db db;
  private final Events events;
  private final Clock clock;

  public WaveViews(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  private Exposure exposure(Session s, TowState state) {
    Optional<Instant> newest = state.leg.flatMap(l -> TowState.newestPoint(s, l)).map(p -> p.asOf);
    return Exposure.at(clock.instant(), newest, Duration.ofSeconds(state.timetable.rpoSeconds));
  }

  /** The gates of every member, in the members' order. */
  Map<MemberEntity, List<Gate.State>> gates(Session s, TowState state) {
    Map<MemberEntity, List<Gate.State>> gates = new LinkedHashMap<>();
    List<Preflight.Result> places = Plans.place(state);
    Exposure exposure = exposure(s, state);
    Long points =
        Db.first(s, Long.class, "select count(*) from PointEntity where towId = ?1", state.tow.id)
            .orElse(0L);
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      Preflight.Result place = places.get(i);
      List<Finding> size = place.findings().stream().filter(f -> f.blocks() && isSize(f)).toList();
      List<Finding> mapping =
          state.tow.landed
              ? List.of()
              : place.findings().stream().filter(f -> f.blocks() && !isSize(f)).toList();
      Optional<Standing.Test> test =
          Optional.ofNullable(m.test)
              .map(t -> Json.read(t, Plans.Test.class))
              .map(
                  t ->
                      new Standing.Test(
                          t.passed(),
                          t.proof() == null || state.tow.landed
                              ? List.of()
                              : Plans.changed(
                                  t.proof(),
                                  Plans.proof(place.placement(), Plans.facts(state, m)))));
      boolean settled = state.wave.settledAt != null;
      boolean isProtected = state.leg.map(l -> l.state.equals("open")).orElse(false);
      gates.put(
          m,
          new Standing(
                  m.name,
                  state.wave.name,
                  s.find(MachineEntity.class, m.machineId).vanishedAt != null,
                  size,
                  mapping,
                  isProtected,
                  settled ? 1 : points.intValue(),
                  exposure,
                  test,
                  state.tow.landed,
                  state.tow.diverged,
                  settled)
              .gates());
    }
    return gates;
  }

  private static boolean isSize(Finding f) {
    return f.code().name().startsWith("SIZE") || f.code() == Finding.Code.NO_SIZE_FITS;
  }

  /** The one thing to do next with a wave, as a command. */
  private static String next(
      TowState state, Map<MemberEntity, List<Gate.State>> gates, boolean running) {
    String name = state.wave.name;
    if (state.wave.settledAt != null) {
      return "";
    }
    if (running) {
      return "wait for the running work";
    }
    if (state.tow.diverged) {
      return "bargelane wave reconcile " + name;
    }
    for (Gate gate : Gate.values()) {
      for (List<Gate.State> of : gates.values()) {
        Gate.State g = of.get(gate.ordinal());
        if (!g.open()) {
          return g.shutBy().get(0).remedy();
        }
      }
    }
    return "";
  }

  public List<WaveCard> cards() {
    return db.tx(s -> cards(s));
  }

  private List<WaveCard> cards(Session s) {
    List<WaveCard> cards = new ArrayList<>();
    for (TowEntity tow :
        Db.list(
            s,
            TowEntity.class,
            "select t from TowEntity t, WaveEntity w where w.id = t.waveId order by w.createdAt")) {
      TowState state = TowState.load(s, tow.id);
      Map<MemberEntity, List<Gate.State>> gates = gates(s, state);
      Exposure exposure = exposure(s, state);
      boolean running = !Runs.list(s, tow.id, true, false, 1).isEmpty();
      Map<String, Integer> counts = new LinkedHashMap<>();
      for (Gate gate : Gate.values()) {
        counts.put(
            gate.word(),
            (int) gates.values().stream().filter(g -> g.get(gate.ordinal()).open()).count());
      }
      boolean isProtected = state.leg.map(l -> l.state.equals("open")).orElse(false);
      cards.add(
          new WaveCard(
              state.wave.id,
              state.wave.name,
              state.home.name,
              state.away.name,
              state.site(state.standing()).name,
              state.members.size(),
              stateWord(state, running),
              exposure.age().map(WaveViews::seconds).orElse(null),
              state.timetable.rpoSeconds,
              exposure.held(),
              isProtected,
              next(state, gates, running),
              counts));
    }
    return cards;
  }

  private static double seconds(Duration d) {
    return d.toMillis() / 1000.0;
  }

  private static String stateWord(TowState state, boolean running) {
    if (state.wave.settledAt != null) {
      return "settled";
    }
    if (running) {
      return "moving";
    }
    if (state.tow.diverged) {
      return "diverged";
    }
    if (state.leg.isEmpty()) {
      return "planned";
    }
    return state.tow.landed ? "landed" : "replicating";
  }

  public WaveView wave(String ref) {
    return db.tx(s -> wave(s, TowState.load(s, Waves.tow(s, Waves.find(s, ref)).id)));
  }

  private WaveView wave(Session s, TowState state) {
    Map<MemberEntity, List<Gate.State>> gates = gates(s, state);
    List<Preflight.Result> places = Plans.place(state);
    Exposure exposure = exposure(s, state);
    List<RunView> running = Runs.list(s, state.tow.id, true, false, 10);
    List<RunView> recent = Runs.list(s, state.tow.id, false, false, 12);
    List<MemberView> members = new ArrayList<>();
    for (int i = 0; i < state.members.size(); i++) {
      members.add(
          member(s, state, state.members.get(i), places.get(i), gates.get(state.members.get(i))));
    }
    Optional<PassEntity> last =
        state.leg.flatMap(
            l ->
                Db.first(
                    s,
                    PassEntity.class,
                    "from PassEntity where legId = ?1 order by startedAt desc",
                    l.id));
    Parting parting = state.tow.diverged ? Json.read(state.tow.divergence, Parting.class) : null;
    return new WaveView(
        state.wave.id,
        state.wave.name,
        state.lane.name,
        state.home.name,
        state.away.name,
        state.timetable.name,
        state.timetable.everySeconds,
        state.timetable.rpoSeconds,
        state.timetable.keepPoints,
        stateWord(state, !running.isEmpty()),
        members,
        state.leg.map(l -> leg(s, state, l)).orElse(null),
        exposure.age().map(WaveViews::seconds).orElse(null),
        state.leg.flatMap(l -> TowState.newestPoint(s, l)).map(p -> p.asOf).orElse(null),
        exposure.held(),
        last.map(this::pass).orElse(null),
        points(s, state.tow.id),
        running,
        recent,
        next(state, gates, !running.isEmpty()),
        parting == null ? null : parting.measured(),
        state.leg.map(l -> l.state.equals("open")).orElse(false),
        clock.instant());
  }

  private static LegView leg(Session s, TowState state, LegEntity l) {
    String common =
        l.basePointId == null
            ? ""
            : Optional.ofNullable(s.find(PointEntity.class, l.basePointId))
                .map(p -> "point " + p.number)
                .orElse("");
    return new LegView(
        l.id,
        l.number,
        state.site(TowState.source(l)).name,
        state.site(TowState.source(l).other()).name,
        l.state,
        l.marker,
        common);
  }

  private static MemberView member(
      Session s, TowState state, MemberEntity m, Preflight.Result place, List<Gate.State> gates) {
    Inventory away = Sites.inventory(state.away);
    Placement p = place.placement();
    Optional<Inventory.Size> size = away.size(m.size);
    List<Inventory.Storage> storages =
        p.storages().stream().flatMap(x -> away.storage(x).stream()).toList();
    Optional<BigDecimal> cost =
        size.filter(x -> storages.size() == p.storages().size())
            .map(x -> Sizing.monthly(x, Plans.facts(state, m).disks(), storages));
    List<Finding> notices =
        new ArrayList<>(place.findings().stream().filter(f -> !f.blocks()).toList());
    SizeChoices.stale(s, m.machineId, state.away.id, m.size).ifPresent(notices::add);
    List<GateView> views =
        gates.stream()
            .map(g -> new GateView(g.gate().word(), g.open(), Sites.views(g.shutBy())))
            .toList();
    Optional<GateView> shut = views.stream().filter(g -> !g.open()).findFirst();
    return new MemberView(
        m.machineId,
        m.name,
        m.rank,
        m.size,
        m.sizeBasis,
        cost.orElse(null),
        cost.isPresent() ? size.get().currency() : "",
        p.nics().stream().map(n -> new PlacedNicView(n.network(), n.address(), n.kept())).toList(),
        p.storages(),
        place.machine().disks().stream().mapToLong(Inventory.Disk::bytes).sum(),
        state.site(state.standing()).name,
        views,
        Sites.views(notices),
        shut.map(GateView::gate).orElse(""),
        shut.map(g -> g.shutBy().get(0).remedy()).orElse(""));
  }

  private PassView pass(PassEntity p) {
    Instant end = p.endedAt == null ? clock.instant() : p.endedAt;
    long millis = Math.max(1, Duration.between(p.startedAt, end).toMillis());
    long rate = p.done * 1000 / millis;
    boolean open = p.endedAt == null;
    Long remaining = open && p.done > 0 && rate > 0 ? (p.total - p.done) / rate : null;
    return new PassView(
        p.id,
        p.runId,
        p.number,
        p.kind,
        p.state,
        p.asOf,
        p.startedAt,
        p.endedAt,
        p.total,
        p.done,
        p.sent,
        p.zeroed,
        p.read,
        rate,
        remaining,
        p.problem);
  }

  private static List<PointView> points(Session s, String towId) {
    return Db.list(
            s,
            PointEntity.class,
            "from PointEntity where towId = ?1 order by asOf desc, number desc",
            towId)
        .stream()
        .map(
            p ->
                new PointView(
                    p.id,
                    s.find(SiteEntity.class, p.siteId).name,
                    p.number,
                    p.asOf,
                    p.spreadMs,
                    p.consistency,
                    p.verified,
                    p.recordedAt,
                    s.find(LegEntity.class, p.legId).direction,
                    p.sent))
        .toList();
  }

  public List<PointView> points(String wave) {
    return db.tx(s -> points(s, Waves.tow(s, Waves.find(s, wave)).id));
  }

  public List<PassView> passes(String wave, int most) {
    return db.tx(
        s ->
            Db.query(
                    s,
                    PassEntity.class,
                    "from PassEntity where towId = ?1 and legId is not null order by startedAt desc",
                    Waves.tow(s, Waves.find(s, wave)).id)
                .setMaxResults(most)
                .getResultList()
                .stream()
                .map(this::pass)
                .toList());
  }

  public List<DossierView> dossiers(String wave) {
    return db.tx(
        s -> {
          String tow = wave.isEmpty() ? "" : Waves.tow(s, Waves.find(s, wave)).id;
          return Db.list(
                  s,
                  DossierEntity.class,
                  "from DossierEntity where (?1 = '' or towId = ?1) order by at desc",
                  tow)
              .stream()
              .map(
                  d ->
                      new DossierView(
                          d.id,
                          d.kind,
                          s.find(WaveEntity.class, s.find(TowEntity.class, d.towId).waveId).name,
                          d.runId,
                          d.at,
                          Json.object(d.record)))
              .toList();
        });
  }

  /** What needs the engineer now, most urgent first; the estate along the gates; the waves. */
  public Overview overview() {
    return db.tx(
        s -> {
          List<WaveCard> cards = cards(s);
          List<Need> needs = new ArrayList<>();
          for (WaveCard c : cards) {
            needs(s, c, needs);
          }
          for (SiteEntity site : Db.list(s, SiteEntity.class, "from SiteEntity")) {
            Json.read(
                    site.findings,
                    new com.fasterxml.jackson.core.type.TypeReference<List<Finding>>() {})
                .stream()
                .filter(Finding::blocks)
                .forEach(
                    f ->
                        needs.add(
                            new Need(
                                "soon",
                                "site " + site.name,
                                f.cause(),
                                f.remedy(),
                                "",
                                site.checkedAt)));
          }
          needs.sort(
              Comparator.comparingInt(n -> List.of("now", "soon", "next").indexOf(n.urgency())));
          Map<String, Integer> gates = new LinkedHashMap<>();
          for (Gate g : Gate.values()) {
            gates.put(g.word(), cards.stream().mapToInt(c -> c.gates().get(g.word())).sum());
          }
          int machines =
              Db.first(s, Long.class, "select count(*) from MachineEntity where vanishedAt is null")
                  .orElse(0L)
                  .intValue();
          int planned = cards.stream().mapToInt(WaveCard::machines).sum();
          List<EventView> recent = events.newest(s, 14);
          return new Overview(
              clock.instant(),
              needs,
              gates,
              machines,
              planned,
              cards,
              Runs.list(s, "", true, false, 10),
              recent);
        });
  }

  private static String nextGate(WaveCard c) {
    return c.gates().entrySet().stream()
        .filter(g -> g.getValue() < c.machines())
        .findFirst()
        .map(
            g ->
                "gate '"
                    + g.getKey()
                    + "' is shut for "
                    + (c.machines() - g.getValue())
                    + " of "
                    + c.machines()
                    + " machines")
        .orElse("all gates are open");
  }

  private void needs(Session s, WaveCard c, List<Need> needs) {
    String tow = Waves.tow(s, s.find(WaveEntity.class, c.id())).id;
    if (c.state().equals("diverged")) {
      needs.add(
          new Need(
              "now",
              "wave " + c.name(),
              "it failed over; both sides may hold writes that the other has not",
              "bargelane wave reconcile " + c.name(),
              c.name(),
              null));
      return;
    }
    if (c.protectedNow() && !c.rpoHeld() && c.exposureSeconds() != null) {
      needs.add(
          new Need(
              "now",
              "wave " + c.name(),
              "its exposure of "
                  + Math.round(c.exposureSeconds())
                  + " s is over the RPO of "
                  + c.rpoSeconds()
                  + " s",
              "see why the last pass failed: bargelane wave show " + c.name(),
              c.name(),
              null));
    }
    Db.first(
            s,
            RunEntity.class,
            "from RunEntity where towId = ?1 and kind <> 'pass' order by startedAt desc",
            tow)
        .filter(r -> r.state.equals("failed"))
        .ifPresent(
            r ->
                needs.add(
                    new Need(
                        "soon",
                        r.title,
                        Json.object(r.problem).path("detail").asText(),
                        Json.object(r.problem).path("remedy").asText(),
                        c.name(),
                        r.endedAt)));
    Db.first(
            s,
            PassEntity.class,
            "from PassEntity where towId = ?1 and legId is not null and endedAt is not null order by startedAt desc",
            tow)
        .filter(p -> p.state.equals("failed"))
        .ifPresent(
            p ->
                needs.add(
                    new Need(
                        "soon",
                        "wave " + c.name() + ", pass " + p.number,
                        p.problem,
                        "see its run: bargelane run show " + p.runId,
                        c.name(),
                        p.endedAt)));
    if (!c.nextAction().isEmpty() && !c.state().equals("moving")) {
      needs.add(new Need("next", "wave " + c.name(), nextGate(c), c.nextAction(), c.name(), null));
    }
  }
}
