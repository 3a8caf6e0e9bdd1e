package bargelane.service.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.FindingView;
import bargelane.api.LaneAdd;
import bargelane.api.LaneView;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Inventory;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.io.IOException;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;

/** Lanes on a real database, between a site that was scanned and one that was not yet. */
class LanesTest {

  private static final LaneAdd OVER = asked("over", "home", "away", Map.of("front", "front-c"));

  private TestDatabase database;
  private Db db;
  private Events events;
  private Lanes lanes;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    Clock clock = Clock.systemUTC();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    lanes = new Lanes(db, events);
    db.run(
        s -> {
          site(s, "home");
          site(s, "away");
          store(s, "home", "front", "back");
        });
  }

  @AfterEach
  void shut() throws IOException {
    events.close();
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
  }

  private static void store(org.hibernate.Session s, String name, String... networks) {
    new Inventories(s)
        .store(
            s.find(SiteEntity.class, name),
            new Inventory(
                List.of(),
                List.of(networks).stream()
                    .map(
                        n ->
                            new Inventory.Network(
                                n,
                                n,
                                "",
                                n.startsWith("front") ? "10.0.0.0/24" : "10.0.1.0/24",
                                false))
                    .toList(),
                List.of(new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
                List.of(),
                List.of(),
                new Inventory.Quota(10, 0, 100, 0)));
  }

  private static LaneAdd asked(String name, String from, String to, Map<String, String> networks) {
    return new LaneAdd(name, from, to, networks, Map.of("shelf", "shelf"), null, null);
  }

  private static LaneAdd joined(Map<String, String> networks) {
    return new LaneAdd(null, null, null, networks, null, null, null);
  }

  private static String refused(Executable what) {
    return assertThrows(ProblemException.class, what).code();
  }

  private List<String> findings(String network) {
    return lanes.view("over").findings().stream()
        .filter(f -> f.toString().contains(network))
        .map(f -> f.code())
        .toList();
  }

  @Test
  void aLaneTellsItsJoinsAndTheReverseOfThem() {
    LaneView lane = lanes.add(OVER);
    assertEquals("home", lane.from());
    assertEquals("away", lane.to());
    assertEquals(Map.of("front", "front-c"), lane.networks());
    assertEquals(Map.of("front-c", "front"), lane.reverseNetworks());
    assertTrue(lane.keepAddresses(), "addresses are kept where nothing else is said");
    assertEquals(lane, lanes.view(lane.id()));
    assertEquals(List.of(lane), lanes.list());
  }

  @Test
  void nothingIsFoundBeforeBothEndsWereScannedAndThenWhatIsNotJoined() {
    lanes.add(OVER);
    assertEquals(List.of(), lanes.view("over").findings());
    db.run(s -> store(s, "away", "front-c", "back-c"));
    assertFalse(findings("back").isEmpty(), "back is joined to nothing");
    lanes.edit("over", joined(Map.of("front", "front-c", "back", "back-c")), Optional.empty());
    assertEquals(List.of(), lanes.view("over").findings());
    lanes.edit("over", joined(Map.of("front", "front-c", "back", "none-such")), Optional.empty());
    assertFalse(findings("none-such").isEmpty(), "the target has no such network");
  }

  @Test
  void whatTheChecksOfItsSitesFoundIsALanesToo() {
    lanes.add(OVER);
    db.run(
        s ->
            s.find(SiteEntity.class, "away").findings =
                Json.text(
                    List.of(
                        new Finding(Code.SITE_CLOCK_OFF, "away", "3 s", "set it", Who.SITE_OWNER),
                        new Finding(
                            Code.DISK_KEEPS_NO_CHANGES, "db", "raw", "convert", Who.ENGINEER))));
    assertEquals(
        List.of("site-clock-off"),
        lanes.view("over").findings().stream().map(FindingView::code).toList());
  }

  @Test
  void whatIsNotSaidInAChangeStaysAsItWas() {
    lanes.add(new LaneAdd("over", "home", "away", Map.of("front", "f"), null, "z-1", false));
    LaneView changed = lanes.edit("over", joined(Map.of("front", "g")), Optional.of(0L));
    assertEquals(Map.of("front", "g"), changed.networks());
    assertEquals("z-1", changed.zone());
    assertFalse(changed.keepAddresses());
    assertEquals(1, changed.revision());
  }

  @Test
  void ofTwoWhoChangeOneRevisionAtOnceTheSecondIsTold() throws Exception {
    lanes.add(OVER);
    assertEquals(
        List.of("changed-meanwhile", "done"),
        AtOnce.fare(2, () -> lanes.edit("over", joined(Map.of("front", "own")), Optional.of(0L))));
    assertEquals(1, lanes.view("over").revision());
    assertEquals(
        List.of("done", "done", "done"),
        AtOnce.fare(3, () -> lanes.edit("over", joined(Map.of()), Optional.empty())));
  }

  @Test
  void ofSeveralWhoAddOneNameAtOnceOneDoes() throws Exception {
    assertEquals(
        List.of("done", "lane-exists", "lane-exists", "lane-exists"),
        AtOnce.fare(4, () -> lanes.add(OVER)));
    assertEquals(1, lanes.list().size());
  }

  @Test
  void whatCannotBeALaneIsRefused() {
    assertEquals("name-malformed", refused(() -> lanes.add(asked("Over!", "home", "away", null))));
    assertEquals("lane-circular", refused(() -> lanes.add(asked("o", "home", "home", null))));
    assertEquals("site-unknown", refused(() -> lanes.add(asked("o", "home", "none", null))));
    assertEquals("field-missing", refused(() -> lanes.add(asked("o", " ", "away", null))));
    assertEquals("lane-unknown", refused(() -> lanes.edit("none", OVER, Optional.empty())));
    assertEquals("lane-unknown", refused(() -> lanes.remove("none")));
    assertEquals(List.of(), lanes.list());
  }

  @Test
  void aSiteStaysWhileALaneEndsThere() {
    lanes.add(OVER);
    for (String end : List.of("home", "away")) {
      assertEquals(
          "site-in-use", refused(() -> db.run(s -> lanes.mayGo(s, s.find(SiteEntity.class, end)))));
    }
    lanes.remove("over");
    db.run(s -> lanes.mayGo(s, s.find(SiteEntity.class, "home")));
  }
}
