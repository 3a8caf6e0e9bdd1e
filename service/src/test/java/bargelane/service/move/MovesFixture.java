package bargelane.service.move;

import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.core.replication.Verification;
import bargelane.core.run.RunState;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.lane.LaneEntity;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.TestDatabase;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Passes;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Work;
import bargelane.service.run.Works;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.io.IOException;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;

/** One wave of one machine with one disk, replicated once, in a real database. */
public abstract class MovesFixture {

  static final SiteException AWAY =
      new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "the site is away", null);

  final Clock clock = mock(Clock.class);
  final Sites sites = mock(Sites.class);
  final Platform home = new Platform();
  final Platform away = new Platform();
  protected Instant now = Instant.parse("2026-11-02T08:00:00Z");
  TestDatabase database;
  protected Db db;
  Events events;
  protected Services services;
  Moves moves;
  Landing landing;
  Turning turning;

  /** A platform that does as it is told, and of which every call is seen. */
  static final class Platform {
    final SiteDriver driver = mock(SiteDriver.class);
    final Source source = mock(Source.class);
    final Target target = mock(Target.class);
    final Compute compute = mock(Compute.class);

    Platform() {
      when(driver.source()).thenReturn(source);
      when(driver.target()).thenReturn(target);
      when(driver.compute()).thenReturn(compute);
      when(driver.inventory()).thenReturn(seen("vol-0"));
      when(compute.machine("p-1")).thenReturn(facts("vol-0"));
    }
  }

  @BeforeEach
  protected void open() throws IOException {
    when(clock.instant()).thenAnswer(x -> now);
    when(sites.driver("home")).thenReturn(home.driver);
    when(sites.driver("away")).thenReturn(away.driver);
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    Ledger ledger = new Ledger(db, sites, clock, "in-test", "node");
    RunEngine runs = mock(RunEngine.class);
    Passes passes =
        new Passes(db, sites, ledger, events, runs, java.time.Duration.ofSeconds(6), clock);
    services = new Services(db, clock, events, sites, ledger, runs, passes);
    moves = new Moves(services);
    landing = new Landing(services, moves, new Carrying(services, moves));
    turning = new Turning(services, moves);
    db.run(this::estate);
  }

  @AfterEach
  protected void shut() throws IOException {
    events.close();
    database.close();
  }

  static MachineFacts facts(String volume) {
    return facts(volume, true);
  }

  static MachineFacts facts(String volume, boolean on) {
    return new MachineFacts(
        "p-1",
        "ledger",
        2,
        4096,
        "Debian",
        "uefi",
        on,
        false,
        List.of(new Inventory.Disk(volume, 1L << 30, "shelf")),
        List.of(new Inventory.Nic("net", "10.0.0.7", "")),
        List.of(),
        Map.of(),
        "",
        null,
        null);
  }

  static Inventory seen(String volume) {
    return new Inventory(
        List.of(facts(volume)),
        List.of(new Inventory.Network("net", "net", "", "10.0.0.0/24", false)),
        List.of(new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
        List.of(),
        List.of(),
        new Inventory.Quota(10, 0, 100, 0));
  }

  private void estate(org.hibernate.Session s) {
    for (String name : List.of("home", "away")) {
      SiteEntity site = new SiteEntity();
      site.id = name;
      site.name = name;
      site.kind = SiteKind.STANDIN;
      site.address = "";
      site.createdAt = now;
      site.findings = "[]";
      site.capabilities =
          Json.text(
              new Capabilities("p", "1", Capabilities.Reach.SITE, 65536, true, false, true, null));
      s.persist(site);
      s.flush();
      new Inventories(s).store(site, seen("vol-0"));
    }
    MachineEntity machine = new MachineEntity();
    machine.id = "m-1";
    machine.siteId = "home";
    machine.platformId = "p-1";
    machine.name = "ledger";
    machine.facts = Json.text(facts("vol-0"));
    machine.firstSeen = now;
    machine.lastSeen = now;
    s.persist(machine);
    LaneEntity lane = new LaneEntity();
    lane.id = "lane";
    lane.name = "over";
    lane.fromSiteId = "home";
    lane.toSiteId = "away";
    lane.plan =
        "{\"networks\":{\"net\":\"net\"},\"storages\":{\"shelf\":\"shelf\"},\"zone\":\"\",\"keepAddresses\":true}";
    s.persist(lane);
    s.flush();
    for (String sql :
        List.of(
            "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
            "insert into wave (id, name, created_at) values ('w', 'w', now())",
            "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id, points) values ('tow', 'w', false, false, 'w', 'lane', 'tt', 1)")) {
      s.createNativeMutationQuery(sql).executeUpdate();
    }
    MemberEntity member = new MemberEntity();
    member.id = "mem";
    member.towId = "tow";
    member.machineId = "m-1";
    member.name = "ledger";
    member.rank = 1;
    member.size = "";
    member.sizeBasis = "";
    member.home = Json.text(new Berth("p-1", List.of("vol-0"), List.of()));
    member.open = true;
    s.persist(member);
    LegEntity leg = new LegEntity();
    leg.id = "leg-1";
    leg.towId = "tow";
    leg.number = 1;
    leg.direction = Direction.OUT;
    leg.state = LegState.OPEN;
    leg.marker = "mark";
    leg.pointId = "point-1";
    s.persist(leg);
    s.flush();
    ReplicaEntity replica = new ReplicaEntity();
    replica.id = "rep-1";
    replica.legId = "leg-1";
    replica.memberId = "mem";
    replica.volume = "replica-0";
    replica.digests = "replica-0-digests";
    replica.storage = "shelf";
    replica.bytes = 1L << 30;
    replica.intent = "";
    s.persist(replica);
    PointEntity point = new PointEntity();
    point.id = "point-1";
    point.towId = "tow";
    point.legId = "leg-1";
    point.siteId = "away";
    point.number = 1;
    point.name = "pass-1";
    point.asOf = now.minusSeconds(9);
    point.consistency = "crash";
    point.verification = Verification.AT_TARGET;
    point.recordedAt = now;
    point.volumes =
        Json.text(List.of(new PointVolume("mem", 0, "replica-0", "root-0", "replica-0-digests")));
    s.persist(point);
    begun(s, "run", "cutover", null);
    s.flush();
    for (String thing : List.of("volume/replica-0", "volume/replica-0-digests", "point/pass-1")) {
      record(s, "away", thing);
    }
    record(s, "home", "marker/mark");
  }

  /** An open run on the wave. */
  void begun(org.hibernate.Session s, String id, String kind, String parentId) {
    RunEntity run = new RunEntity();
    run.id = id;
    run.kind = kind;
    run.title = kind;
    run.subjectKind = "wave";
    run.subjectId = "tow";
    run.subjectName = "w";
    run.parentId = parentId;
    run.state = RunState.RUNNING;
    run.input = "{}";
    run.notes = "{}";
    run.startedBy = "e";
    run.startedAt = now;
    s.persist(run);
  }

  private void record(org.hibernate.Session s, String site, String thing) {
    SiteObjectEntity o = new SiteObjectEntity();
    o.id = "obj-" + thing;
    o.siteId = site;
    o.towId = "tow";
    o.kind = thing.substring(0, thing.indexOf('/'));
    o.name = thing.substring(thing.indexOf('/') + 1);
    o.owner = services.ledger().owner("tow");
    o.wanted = true;
    o.recordedAt = now;
    o.problem = "";
    s.persist(o);
  }

  /** The run as a service finds it that has just been started. */
  Work work() {
    return Works.take(db, events, clock, "run");
  }

  TowState state() {
    return db.tx(s -> TowState.load(s, "tow"));
  }

  Berth berth(Side side) {
    return TowState.berth(state().members.get(0), side).orElseThrow();
  }

  void stands(Side side, Berth berth) {
    db.run(s -> TowState.berth(s.find(MemberEntity.class, "mem"), side, berth));
  }

  /** What is recorded at the sites: site, kind and name, and whether it is wanted. */
  List<String> recorded() {
    return db.tx(
        s ->
            Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity order by siteId, kind, name")
                .stream()
                .map(
                    o ->
                        o.siteId + " " + o.kind + " " + o.name + (o.wanted ? "" : " to be removed"))
                .toList());
  }

  /** Legs whose timetable is to be looked at now. */
  List<String> watched() {
    return db.tx(
        s ->
            s.createNativeQuery(
                    "select task_instance from scheduled_tasks where task_name = 'timetable'"
                        + " and execution_time = :now",
                    String.class)
                .setParameter("now", now)
                .getResultList());
  }
}
