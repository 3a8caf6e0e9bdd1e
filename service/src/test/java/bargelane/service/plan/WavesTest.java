package bargelane.service.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.reset;
import static org.mockito.Mockito.when;

import bargelane.api.TimetableAdd;
import bargelane.api.WaveAdd;
import bargelane.api.WaveMachine;
import bargelane.api.WaveView;
import bargelane.core.replication.LegState;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.service.assess.SizeChoices;
import bargelane.service.event.Events;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.MachineEntity;
import bargelane.service.move.MoveDesk;
import bargelane.service.move.WaveRuns;
import bargelane.service.overview.OverviewPage;
import bargelane.service.overview.WavePages;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.replication.PassRun;
import bargelane.service.replication.Passes;
import bargelane.service.replication.ReplicationViews;
import bargelane.service.replication.Services;
import bargelane.service.replication.Timetables;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import com.github.kagkarlsson.scheduler.Scheduler;
import java.io.IOException;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Duration;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Waves in a real database, with a platform that does as it is told. */
class WavesTest {

  private static final SiteException REFUSED =
      new SiteException(SiteException.Kind.FINAL, "quota", "no volume is made any more", null);

  private final Clock clock = Clock.systemUTC();
  private final Sites sites = mock(Sites.class);
  private final SiteDriver driver = mock(SiteDriver.class);
  private final Target target = mock(Target.class);
  private TestDatabase database;
  private Db db;
  private Events events;
  private Scheduler scheduler;
  private Services services;
  private Waves waves;
  private MoveDesk desk;
  private WavePages pages;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    when(sites.driver(any())).thenReturn(driver);
    when(driver.target()).thenReturn(target);
    Compute compute = mock(Compute.class);
    when(driver.compute()).thenReturn(compute);
    when(compute.machine("p-1")).thenReturn(machine("10.0.0.5"));
    Ledger ledger = new Ledger(db, sites, clock, "in-test", "node");
    RunEngine runs = new RunEngine(db, events, clock);
    Passes passes = new Passes(db, sites, ledger, events, runs, Duration.ofSeconds(6), clock);
    services = new Services(db, clock, events, sites, ledger, runs, passes);
    runs.add(new PassRun(services));
    WaveRuns.all(services).forEach(runs::add);
    waves = new Waves(services, new SizeChoices(db, new WaveSizes(), events, clock));
    desk = new MoveDesk(services, waves);
    pages = new WavePages(db, waves, new ReplicationViews(db, clock), clock);
    scheduler =
        Scheduler.create(db.dataSource(), runs.task())
            .threads(2)
            .pollingInterval(Duration.ofMillis(50))
            .enableImmediateExecution()
            .build();
    scheduler.start();
    runs.open(scheduler);
    estate("10.0.0.0/24", "10.0.0.7");
  }

  @AfterEach
  void shut() throws IOException {
    scheduler.stop();
    events.close();
    database.close();
  }

  private static MachineFacts machine(String address) {
    return new MachineFacts(
        "p-1",
        "ledger",
        2,
        4096,
        "Debian",
        "uefi",
        true,
        false,
        List.of(new Inventory.Disk("d0", 1L << 30, "shelf")),
        List.of(new Inventory.Nic("net", address, "")),
        List.of(),
        Map.of(),
        "",
        null,
        null);
  }

  private void estate(String targetRange, String address) {
    db.run(
        s -> {
          for (String name : List.of("home", "away")) {
            SiteEntity site = s.find(SiteEntity.class, name);
            boolean fresh = site == null;
            site = fresh ? new SiteEntity() : site;
            site.id = name;
            site.name = name;
            site.kind = SiteKind.STANDIN;
            site.address = "";
            site.createdAt = clock.instant();
            site.findings = "[]";
            site.capabilities =
                Json.text(
                    new Capabilities(
                        "p", "1", Capabilities.Reach.SITE, 65536, true, false, true, null));
            if (fresh) {
              s.persist(site);
            }
            s.flush();
            Inventory inventory =
                new Inventory(
                    name.equals("home") ? List.of(machine(address)) : List.of(),
                    List.of(
                        new Inventory.Network(
                            "net", "net", "", name.equals("home") ? "" : targetRange, false)),
                    List.of(new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
                    List.of(),
                    List.of(),
                    new Inventory.Quota(10, 0, 100, 0));
            new Inventories(s).store(site, inventory);
            if (name.equals("away")) {
              // As it was scanned, when it is asked again.
              when(driver.inventory()).thenReturn(inventory);
            }
          }
          s.flush();
          if (s.find(MachineEntity.class, "m-1") == null) {
            MachineEntity m = new MachineEntity();
            m.id = "m-1";
            m.siteId = "home";
            m.platformId = "p-1";
            m.name = "ledger";
            m.facts = Json.text(machine(address));
            m.firstSeen = clock.instant();
            m.lastSeen = clock.instant();
            s.persist(m);
            LaneEntity lane = new LaneEntity();
            lane.id = "lane-1";
            lane.name = "over";
            lane.fromSiteId = "home";
            lane.toSiteId = "away";
            lane.plan =
                "{\"networks\":{\"net\":\"net\"},\"storages\":{\"shelf\":\"shelf\"},\"zone\":\"\",\"keepAddresses\":true}";
            s.persist(lane);
          } else {
            s.find(MachineEntity.class, "m-1").facts = Json.text(machine(address));
          }
        });
  }

  private void plan() {
    new Timetables(db, Duration.ofSeconds(5), legs -> {})
        .add(new TimetableAdd("often", 15, 60, 6, true, true));
    waves.add(new WaveAdd("lending", "over", "often", List.of(new WaveMachine("ledger", 1))));
  }

  @Test
  void machinesOfOneNameAreNotInOneWave() {
    db.run(
        s -> {
          MachineEntity m = new MachineEntity();
          m.id = "m-2";
          m.siteId = "home";
          m.platformId = "p-2";
          m.name = "ledger";
          m.facts = Json.text(machine("10.0.0.8"));
          m.firstSeen = clock.instant();
          m.lastSeen = clock.instant();
          s.persist(m);
        });
    new Timetables(db, Duration.ofSeconds(5), legs -> {})
        .add(new TimetableAdd("often", 15, 60, 6, true, true));
    WaveAdd both =
        new WaveAdd(
            "lending",
            "over",
            "often",
            List.of(new WaveMachine("m-1", 1), new WaveMachine("m-2", 1)));
    ProblemException refused = assertThrows(ProblemException.class, () -> waves.add(both));
    assertEquals("machines-same-name", refused.code());
  }

  private static void until(BooleanSupplier holds) throws InterruptedException {
    CountDownLatch never = new CountDownLatch(1);
    for (int i = 0; i < 400 && !holds.getAsBoolean(); i++) {
      never.await(25, TimeUnit.MILLISECONDS);
    }
    assertTrue(holds.getAsBoolean());
  }

  private WaveView load() throws InterruptedException {
    String run = desk.load("lending", "e").id();
    until(() -> new Runs(db).view(run).endedAt() != null);
    return pages.wave("lending");
  }

  private long count(String from) {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery("select count(*) from " + from, Object.class)
                        .getSingleResult())
                .longValue());
  }

  @Test
  void aWaveWhoseLoadFailedBeforeAReplicaWasMadeSaysSoAndIsRemoved() throws Exception {
    plan();
    assertEquals("planned", pages.wave("lending").state());
    doThrow(REFUSED).when(target).createVolume(any(), any(), anyLong(), any(), any());
    WaveView failed = load();
    assertEquals("paused", failed.state(), "it has no recovery point and no pass runs");
    assertEquals("failed", failed.recent().get(0).state());
    waves.remove("lending");
    for (String table :
        List.of("wave", "tow", "member", "leg", "replica", "site_object", "pass", "run", "step")) {
      assertEquals(0, count(table), table);
    }
    assertEquals("planned", again().state(), "its machine can be planned anew");
  }

  private WaveView again() {
    waves.add(new WaveAdd("lending", "over", "often", List.of(new WaveMachine("ledger", 1))));
    return pages.wave("lending");
  }

  @Test
  void aWaveIsKeptWhileSomethingOfItIsAtASiteThatDoesNotAnswer() throws Exception {
    plan();
    doThrow(REFUSED).when(target).createVolume(any(), any(), anyLong(), any(), any());
    load();
    doThrow(new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "it is away", null))
        .when(target)
        .deleteVolume(any());
    ProblemException held = assertThrows(ProblemException.class, () -> waves.remove("lending"));
    assertEquals("wave-holds", held.code());
    assertTrue(held.getMessage().contains("it is away"), held.getMessage());
    assertEquals(1, count("wave"));
    reset(target);
    waves.remove("lending");
    assertEquals(0, count("wave"));
  }

  @Test
  void ofManyLoadsAtOnceOneBegins() throws Exception {
    plan();
    CountDownLatch go = new CountDownLatch(1);
    doAnswer(
            x -> {
              assertTrue(go.await(20, TimeUnit.SECONDS));
              throw REFUSED;
            })
        .when(target)
        .createVolume(any(), any(), anyLong(), any(), any());
    List<String> fared = AtOnce.fare(20, () -> desk.load("lending", "e"));
    assertEquals(1, Collections.frequency(fared, "done"), fared.toString());
    assertEquals(19, Collections.frequency(fared, "already-running"), fared.toString());
    assertEquals(1, count("run"));
    go.countDown();
    until(() -> new Runs(db).list(Optional.empty(), true, false, 9).isEmpty());
  }

  @Test
  void whatAPersonPausesStaysSoUntilAPersonResumesIt() throws Exception {
    plan();
    assertEquals(
        "not-loaded",
        assertThrows(ProblemException.class, () -> waves.pause("lending", "e")).code());
    doThrow(REFUSED).when(target).createVolume(any(), any(), anyLong(), any(), any());
    load();
    db.run(s -> Db.change(s, "update LegEntity set state = ?1", LegState.OPEN));
    assertEquals(
        List.of("already-paused", "already-paused", "done"),
        AtOnce.fare(
            3,
            () -> {
              waves.pause("lending", "e");
              return "";
            }));
    WaveView paused = pages.wave("lending");
    assertEquals("paused", paused.state());
    assertTrue(paused.verbs().contains("resume"), paused.verbs().toString());
    // A move that holds the timetable back and lets it go on leaves the wave as paused as it was.
    db.run(s -> Db.change(s, "update LegEntity set state = ?1", LegState.PAUSED));
    db.run(s -> Db.change(s, "update LegEntity set state = ?1", LegState.OPEN));
    assertEquals("paused", pages.wave("lending").state());
    waves.resume("lending", "e");
    assertEquals("loading", pages.wave("lending").state(), "it goes on to its first point");
    assertEquals(
        "not-paused",
        assertThrows(ProblemException.class, () -> waves.resume("lending", "e")).code());
  }

  @Test
  void pagesAreThereWhateverTheTargetsNetworkTellsOfItsRange() {
    plan();
    for (String range : List.of("", "a bridge", "2001:db8::/64", "10.0.0.0/24")) {
      for (String address : List.of("", "10.0.0.7", "2001:db8::7", "unknown")) {
        estate(range, address);
        WaveView wave = pages.wave("lending");
        assertEquals(1, wave.machines().size(), range + " and " + address);
        new OverviewPage(db, events, pages, clock).view(Optional.empty(), "");
      }
    }
  }

  @Test
  void whatCantBeAskedIsRefusedBeforeARunBegins() {
    plan();
    assertEquals(
        "not-loaded",
        assertThrows(ProblemException.class, () -> waves.pass("lending", false, "e")).code());
    assertEquals(
        "wave-unknown", assertThrows(ProblemException.class, () -> waves.remove("none")).code());
    assertEquals(List.of("load"), pages.wave("lending").verbs());
    assertEquals(0, count("run"));
    ProblemException used =
        assertThrows(ProblemException.class, () -> new Lanes(db, events).remove("over"));
    assertEquals("lane-in-use", used.code());
    ProblemException twice = assertThrows(ProblemException.class, this::again);
    assertEquals("wave-exists", twice.code());
  }
}
