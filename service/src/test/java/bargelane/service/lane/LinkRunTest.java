package bargelane.service.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.FindingView;
import bargelane.api.LaneAdd;
import bargelane.api.LinkView;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.core.site.Inventory;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.platform.TestDisks;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.run.Works;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import java.io.IOException;
import java.math.BigDecimal;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.InOrder;

/** What is measured of the way between two sites, over real connections to disks in memory. */
class LinkRunTest {

  private final Sites sites = mock(Sites.class);
  private final Target home = mock(Target.class);
  private final Target away = mock(Target.class);
  private TestDatabase database;
  private Db db;
  private Events events;
  private Lanes lanes;
  private Links links;
  private LinkRun kind;
  private TestDisks disks;
  private String run;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    disks = TestDisks.open();
    db = database.db();
    Clock clock = Clock.systemUTC();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    lanes = new Lanes(db, events);
    Ledger ledger = new Ledger(db, sites, clock, "in-test", "node");
    kind = new LinkRun(db, sites, ledger, events, clock, Duration.ofMillis(50));
    RunEngine runs = new RunEngine(db, events, clock);
    runs.add(kind);
    links = new Links(db, runs);
    for (Map.Entry<String, Target> end : Map.of("home", home, "away", away).entrySet()) {
      SiteDriver driver = mock(SiteDriver.class);
      when(driver.target()).thenReturn(end.getValue());
      when(sites.driver(end.getKey())).thenReturn(driver);
      db.run(s -> site(s, end.getKey()));
      disks.offer(end.getKey(), 2 << 20);
      reached(end.getValue(), disks.uri(end.getKey()));
    }
    lanes.add(new LaneAdd("over", "home", "away", Map.of(), Map.of("shelf", "shelf"), null, null));
    run = links.measure("over", "engineer");
  }

  @AfterEach
  void shut() throws IOException {
    events.close();
    disks.close();
    database.close();
  }

  private static void site(org.hibernate.Session s, String name) {
    SiteEntity site = new SiteEntity();
    site.id = name;
    site.name = name;
    site.kind = SiteKind.STANDIN;
    site.address = "";
    site.createdAt = Instant.EPOCH;
    site.findings = "[]";
    s.persist(site);
    s.flush();
    new Inventories(s)
        .store(
            site,
            new Inventory(
                List.of(),
                List.of(),
                List.of(
                    new Inventory.Storage("attic", "attic", "ssd", BigDecimal.ONE, "EUR"),
                    new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
                List.of(),
                List.of(),
                new Inventory.Quota(10, 0, 100, 0)));
  }

  private static void reached(Target target, String uri) {
    when(target.openVolume(anyString(), anyString(), eq(true)))
        .thenReturn(new ExportRef("scratch", uri, false));
  }

  private Work work() {
    return Works.take(db, events, Clock.systemUTC(), run);
  }

  /** Drives one step as a new life of the service does. */
  private void step(String name) {
    Work w = work();
    Step step = kind.steps(w).stream().filter(s -> s.name().equals(name)).findFirst().orElseThrow();
    if (step.action().run(w) instanceof Outcome.Commit stored) {
      db.tx(stored.work()::apply);
    }
  }

  private void all() {
    for (String step : List.of("reach", "carry", "record", "tidy")) {
      step(step);
    }
  }

  private List<SiteObjectEntity> ours() {
    return db.tx(s -> Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity"));
  }

  @Test
  void bothWaysAreMeasuredAndNothingIsLeft() {
    assertNull(links.view("over").measuredAt());
    assertEquals(run, links.view("over").run());
    all();
    LinkView link = links.view("over");
    assertTrue(link.there() > 0 && link.back() > 0, link.toString());
    assertTrue(link.from().delay() > 0 && link.to().delay() > 0, link.toString());
    assertEquals("connection", link.to().disks());
    assertEquals("away", link.to().site());
    assertEquals(List.of(), closed());
    assertEquals(List.of(), ours());
    for (Target t : List.of(home, away)) {
      verify(t)
          .createVolume(
              "bl-" + run + "-link", "bargelane/in-test/" + laneId(), 64L << 20, "shelf", "");
      verify(t).deleteVolume("bl-" + run + "-link");
    }
  }

  private List<FindingView> closed() {
    return lanes.view("over").findings().stream()
        .filter(f -> f.code().equals("link-closed"))
        .toList();
  }

  private String laneId() {
    return lanes.view("over").id();
  }

  /** What is made is recorded before it is there, though no wave has it. */
  @Test
  void aLifeThatDiesLeavesARecordAndTheNextOneGoesOn() {
    doThrow(new IllegalStateException("killed"))
        .when(away)
        .createVolume(anyString(), anyString(), anyLong(), anyString(), anyString());
    assertThrows(IllegalStateException.class, () -> step("reach"));
    assertEquals(4, ours().size());
    assertTrue(ours().stream().allMatch(o -> o.wanted && o.towId == null), "recorded");
    org.mockito.Mockito.reset(away);
    reached(away, disks.uri("away"));
    step("reach");
    step("carry");
    // The one before may still copy: its way to the disk is taken before another is given.
    step("carry");
    InOrder order = inOrder(away);
    for (int i = 0; i < 3; i++) {
      order.verify(away).closeExport("bl-" + run + "-link");
      order.verify(away).openVolume(anyString(), anyString(), eq(true));
    }
    step("record");
    step("tidy");
    assertEquals(List.of(), ours());
  }

  @Test
  void anEndThatIsClosedIsNamedUntilItIsMeasuredAgain() throws IOException {
    int port;
    try (ServerSocket s = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      port = s.getLocalPort();
    }
    reached(away, new NbdAddress.Tls("127.0.0.1", port, "secret", "ab".repeat(32)).uri());
    RunFailure closed = assertThrows(RunFailure.class, () -> step("reach"));
    assertEquals("link-closed", closed.code());
    assertTrue(
        closed
            .getMessage()
            .startsWith(
                "away offers disks at 127.0.0.1:" + port + ", and none is reached from here: "),
        closed.getMessage());
    assertFalse(closed.getMessage().contains("secret"), "the name is the right to use it");
    LinkView link = links.view("over");
    assertTrue(link.from().delay() > 0, "what could be measured is");
    assertNull(link.there());
    assertEquals(1, closed().size());
    assertTrue(closed().get(0).blocks());
    step("tidy");
    assertEquals(List.of(), ours());
    reached(away, disks.uri("away"));
    db.run(s -> Db.change(s, "update RunEntity set endedAt = startedAt"));
    run = links.measure("over", "engineer");
    all();
    assertEquals(List.of(), closed());
  }

  @Test
  void aSiteThatRefusesIsTold() {
    doThrow(new SiteException(SiteException.Kind.FINAL, "quota", "away has no room left", null))
        .when(away)
        .createVolume(anyString(), anyString(), anyLong(), anyString(), anyString());
    assertEquals(
        "away has no room left", assertThrows(RunFailure.class, () -> step("reach")).getMessage());
    verify(away, never()).openVolume(any(), any(), eq(true));
    verify(home, times(1)).openVolume(any(), any(), eq(true));
  }

  @Test
  void oneMeasuresAtATime() throws Exception {
    db.run(s -> Db.change(s, "update RunEntity set endedAt = startedAt"));
    assertEquals(
        List.of("done", "link-measured-now"),
        AtOnce.fare(
            2,
            () -> {
              links.measure("over", "engineer");
              return null;
            }));
  }

  @Test
  void aSiteThatIsReadOnlyIsNotMeasured() {
    db.run(s -> s.find(SiteEntity.class, "home").kind = SiteKind.SERVERS);
    assertEquals(
        "look-only",
        assertThrows(ProblemException.class, () -> links.measure("over", "engineer")).code());
    assertEquals(List.of(), ours());
  }

  @Test
  void aLaneThatIsRemovedMeanwhileLeavesNothing() {
    step("reach");
    lanes.remove("over");
    assertEquals("lane-removed", assertThrows(RunFailure.class, () -> step("record")).code());
    Work w = work();
    kind.backOut(w).get(0).action().run(w);
    assertEquals(List.of(), ours());
  }
}
