package bargelane.service.overview;

import bargelane.api.GateView;
import bargelane.api.LegView;
import bargelane.api.MemberView;
import bargelane.api.PlacedNicView;
import bargelane.api.RunView;
import bargelane.api.WaveCard;
import bargelane.api.WaveView;
import bargelane.core.assess.Sizing;
import bargelane.core.finding.Finding;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory;
import bargelane.core.wave.Gate;
import bargelane.core.wave.WaveVerb;
import bargelane.service.assess.SizeChoices;
import bargelane.service.move.Parting;
import bargelane.service.plan.WaveStanding;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.Remedies;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.ReplicationViews;
import bargelane.service.replication.TowState;
import bargelane.service.run.Runs;
import bargelane.service.site.Inventories;
import bargelane.service.site.Sites;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.IntStream;
import org.hibernate.Session;

/** A wave's page, and its card among others. */
public final class WavePages {

  private final Db db;
  private final Waves waves;
  private final ReplicationViews replication;
  private final Clock clock;

  public WavePages(Db db, Waves waves, ReplicationViews replication, Clock clock) {
    this.db = db;
    this.waves = waves;
    this.replication = replication;
    this.clock = clock;
  }

  /** Of some tows, or of all where none are given. */
  public List<WaveCard> cards(Optional<Set<String>> tows) {
    return db.tx(s -> standings(s, tows).stream().map(WavePages::card).toList());
  }

  /** Where waves stand, in the order in which they were planned. */
  List<WaveStanding> standings(Session s, Optional<Set<String>> tows) {
    Instant now = clock.instant();
    Inventories shores = new Inventories(s);
    return Waves.towsInOrder(s).stream()
        .filter(tow -> tows.isEmpty() || tows.get().contains(tow))
        .map(tow -> WaveStanding.of(s, shores, TowState.load(s, tow), now))
        .toList();
  }

  static WaveCard card(WaveStanding x) {
    TowState state = x.state();
    Map<String, Integer> counts = new LinkedHashMap<>();
    x.openGates().forEach((gate, open) -> counts.put(gate.word(), open));
    return new WaveCard(
        state.tow.waveId,
        state.tow.name,
        state.home.name,
        state.away.name,
        state.site(state.standing()).name,
        state.members.size(),
        x.status().state().word(),
        x.exposure().age().map(WavePages::seconds).orElse(null),
        state.timetable.rpoSeconds,
        x.exposure().held(),
        x.protectedNow(),
        Remedies.view(x.next()),
        counts);
  }

  private static double seconds(Duration d) {
    return d.toMillis() / 1000.0;
  }

  public WaveView wave(String ref) {
    return db.tx(
        s -> {
          Inventories shores = new Inventories(s);
          return wave(s, shores, WaveStanding.of(s, shores, waves.state(s, ref), clock.instant()));
        });
  }

  private WaveView wave(Session s, Inventories shores, WaveStanding x) {
    TowState state = x.state();
    Optional<Set<String>> own = Optional.of(Set.of(state.tow.id));
    List<RunView> running = Runs.list(s, own, true, false, 10);
    List<RunView> recent = Runs.list(s, own, false, false, 12);
    List<MemberView> members = new ArrayList<>();
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      members.add(member(s, shores, state, m, x.places().get(i), x.gates().get(m)));
    }
    Parting parting = state.tow.diverged ? Json.read(state.tow.divergence, Parting.class) : null;
    return new WaveView(
        state.tow.waveId,
        state.tow.name,
        state.lane.name,
        state.home.name,
        state.away.name,
        state.timetable.name,
        state.timetable.everySeconds,
        state.timetable.rpoSeconds,
        state.timetable.keepPoints,
        x.status().state().word(),
        members,
        state.leg.map(l -> leg(s, state, l)).orElse(null),
        x.exposure().age().map(WavePages::seconds).orElse(null),
        x.newest().map(p -> p.asOf).orElse(null),
        x.exposure().held(),
        state
            .leg
            .flatMap(l -> ReplicationViews.newest(s, l.id))
            .map(replication::view)
            .orElse(null),
        ReplicationViews.points(s, state.tow.id),
        running,
        recent,
        Remedies.view(x.next()),
        x.status().offered().stream().map(WaveVerb::word).toList(),
        parting == null ? null : parting.measured(),
        x.protectedNow(),
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
        (l.heldBy.isEmpty() ? l.state : LegState.PAUSED).word(),
        l.marker,
        common,
        l.scrubbedAt,
        l.scrubFound);
  }

  private static MemberView member(
      Session s,
      Inventories shores,
      TowState state,
      MemberEntity m,
      Preflight.Result place,
      List<Gate.State> gates) {
    Inventory away = shores.of(state.away);
    Placement p = place.placement();
    Optional<Inventory.Size> size = away.size(m.size);
    List<Inventory.Disk> disks = place.copied();
    List<String> classes =
        IntStream.range(0, p.storages().size())
            .filter(i -> !place.leftOut(i))
            .mapToObj(p.storages()::get)
            .toList();
    List<Inventory.Storage> storages =
        classes.stream().flatMap(x -> away.storage(x).stream()).toList();
    Optional<BigDecimal> cost =
        size.filter(x -> storages.size() == disks.size())
            .map(x -> Sizing.monthly(x, disks, storages));
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
        classes,
        disks.stream().mapToLong(Inventory.Disk::bytes).sum(),
        state.site(state.standing()).name,
        views,
        Sites.views(notices),
        shut.map(GateView::gate).orElse(""),
        shut.map(g -> g.shutBy().get(0).remedy()).orElse(bargelane.api.Remedy.NONE));
  }
}
