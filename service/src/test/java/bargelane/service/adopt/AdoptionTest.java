package bargelane.service.adopt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.atLeastOnce;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.reset;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.AdoptRequest;
import bargelane.api.AdoptionView;
import bargelane.api.AdoptionWave;
import bargelane.api.FindingView;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.core.replication.Verification;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.move.Parting;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassRun;
import bargelane.service.replication.Passes;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.sites.Acting;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.sites.Target.Owned;
import bargelane.sites.Target.PointRef;
import com.fasterxml.jackson.databind.node.TextNode;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** An empty service, and a site at which a lost one left a wave of one machine with one disk. */
class AdoptionTest {

  private static final String OWNER = "bargelane/in-lost/tow-abc";
  private static final String NASTY = "0123 ~ null: yes\t\"'\n- {a: 'b'} # x\u0085\u2028 1e3 \n";

  private final Clock clock = mock(Clock.class);
  private final Sites sites = mock(Sites.class);
  private final SiteDriver driver = mock(SiteDriver.class);
  private final Target target = mock(Target.class);
  private final Compute compute = mock(Compute.class);
  private final Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private final Instant taken = now.minus(Duration.ofHours(3));

  /** Of the platform. */
  private final List<Owned> owned = new ArrayList<>();

  private final List<PointRef> points = new ArrayList<>();
  private final Map<String, byte[]> files = new HashMap<>();
  private final List<MachineFacts> machines = new ArrayList<>();

  private TestDatabase database;
  private Db db;
  private Events events;
  private Services services;
  private Adoption adoption;

  @BeforeEach
  void open() throws IOException {
    when(clock.instant()).thenReturn(now);
    when(driver.target()).thenReturn(target);
    when(driver.compute()).thenReturn(compute);
    when(driver.inventory()).thenAnswer(x -> inventory(machines));
    when(target.owned(anyString()))
        .thenAnswer(
            x -> owned.stream().filter(o -> o.owner().startsWith(x.getArgument(0))).toList());
    when(target.points(anyString())).thenAnswer(x -> List.copyOf(points));
    when(target.attachment(anyString(), anyString()))
        .thenAnswer(x -> Optional.ofNullable(files.get(x.getArgument(0) + "/" + x.getArgument(1))));
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    Ledger ledger = new Ledger(db, sites, clock, "in-new", "node");
    RunEngine runs = new RunEngine(db, events, clock);
    services =
        new Services(
            db,
            clock,
            events,
            sites,
            ledger,
            runs,
            new Passes(db, sites, ledger, events, runs, Duration.ofSeconds(6), clock));
    runs.add(new PassRun(services));
    adoption = new Adoption(services);
    db.run(
        s -> {
          SiteEntity site = new SiteEntity();
          site.id = "site-far";
          site.name = "far";
          site.kind = SiteKind.STANDIN;
          site.address = "http://far";
          site.createdAt = now;
          site.findings = "[]";
          site.capabilities = Json.text(capabilities());
          s.persist(site);
          s.flush();
          new Inventories(s).store(site, inventory(List.of()));
        });
    when(sites.driver("site-far")).thenReturn(driver);
    thing("volume", "copy");
    thing("volume", "copy-digests");
    // The clock of the lost service stepped back between the second point and the third.
    point("p-2", 2, taken.plusSeconds(60));
    point("p-3", 3, taken);
    point("p-1", 1, taken.minusSeconds(60));
  }

  @AfterEach
  void close() throws IOException {
    events.close();
    database.close();
  }

  private static Capabilities capabilities() {
    return new Capabilities("p", "1", Capabilities.Reach.SITE, 65536, true, false, true, null);
  }

  private static Inventory inventory(List<MachineFacts> machines) {
    return new Inventory(
        List.copyOf(machines),
        List.of(new Inventory.Network("net", "net", "", "10.0.0.0/24", false)),
        List.of(new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
        List.of(),
        List.of(),
        new Inventory.Quota(10, 0, 100, 0));
  }

  private static MachineFacts facts(String id, String owner, boolean on, String volume) {
    return new MachineFacts(
        id,
        "ledger",
        2,
        4096,
        NASTY,
        "uefi",
        on,
        false,
        List.of(new Inventory.Disk(volume, 1L << 30, "shelf")),
        List.of(new Inventory.Nic("net", "10.0.0.7", "")),
        List.of(),
        Map.of(NASTY, NASTY),
        owner,
        null,
        null);
  }

  private void thing(String kind, String name) {
    owned.add(new Owned(kind, kind + "-" + name, name, OWNER));
  }

  private void point(String name, int number, Instant asOf) {
    point(name, manifest(number, asOf, "home").file());
  }

  private void point(String name, byte[] manifest) {
    thing("point", name);
    points.add(new PointRef(name, OWNER, List.of("copy", "copy-digests")));
    files.put(name + "/manifest", manifest);
  }

  private static final List<Manifest.Setting> SETTINGS =
      List.of(
          new Manifest.Setting("card", 0, "address", "10.0.0.9"),
          new Manifest.Setting("machine", -1, "name", "books"));

  private static Manifest manifest(int number, Instant asOf, String tow) {
    return manifest(number, asOf, tow, 40);
  }

  private static Manifest manifest(int number, Instant asOf, String tow, long epoch) {
    Manifest.Shore home =
        new Manifest.Shore(
            "home",
            "standin",
            "http://home",
            capabilities(),
            inventory(List.of()).networks(),
            inventory(List.of()).storages());
    return new Manifest(
        Manifest.FORMAT,
        "books",
        tow.equals("home") ? "tow-abc" : tow,
        number,
        new Manifest.Leg("leg-abc", 1, Direction.OUT.word(), "mark-" + number),
        epoch,
        asOf,
        true,
        0,
        "crash-consistent",
        "pass-" + number,
        "delta",
        Verification.AT_TARGET.word(),
        4096,
        "home",
        "elsewhere",
        home,
        new Manifest.Shore("elsewhere", "standin", "http://x", null, List.of(), List.of()),
        new Manifest.Lane("over", Map.of("net", "net"), Map.of("shelf", "shelf"), "", true),
        new Manifest.Timetable("often", 15, 60, 6, true, true),
        List.of(
            new Manifest.Machine(
                "mem-abc",
                "ledger",
                1,
                "",
                "",
                Map.of("owner", NASTY),
                facts("h-1", "", true, "vol-0"),
                new Berth("h-1", List.of("vol-0"), List.of()),
                null,
                null,
                new Manifest.Refit("", List.of(), null),
                List.of(
                    new Manifest.Disk(
                        0,
                        "copy",
                        1L << 30,
                        "root",
                        "copy-digests",
                        "copy",
                        "copy-digests",
                        "shelf",
                        "far-key")),
                SETTINGS)));
  }

  private AdoptionView adopt(boolean serviceGone, boolean removeMachines) {
    return adoption.adopt(
        "far", new AdoptRequest("far", List.of(), serviceGone, removeMachines), "e");
  }

  private ProblemException refused(boolean serviceGone, boolean removeMachines) {
    ProblemException p =
        assertThrows(ProblemException.class, () -> adopt(serviceGone, removeMachines));
    assertEquals(List.of(), tows(), "nothing is recorded");
    return p;
  }

  private List<TowEntity> tows() {
    return db.tx(s -> Db.list(s, TowEntity.class, "from TowEntity"));
  }

  private TowState state() {
    return db.tx(s -> TowState.load(s, "tow-abc"));
  }

  private List<String> recorded() {
    return db.tx(
        s ->
            Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity order by kind, name").stream()
                .map(o -> o.kind + " " + o.name + (o.wanted ? "" : " to be removed"))
                .toList());
  }

  private List<String> codes() {
    return adoption.look("far").waves().get(0).findings().stream().map(FindingView::code).toList();
  }

  @Test
  void aManifestIsReadAsItWasWritten() throws Exception {
    Manifest written = manifest(7, taken, "home");
    Manifest read = Manifest.read(written.file());
    assertEquals(written, read);
    assertTrue(
        new String(written.file(), StandardCharsets.UTF_8)
            .startsWith("format: " + Manifest.FORMAT + "\n"));
  }

  @Test
  void whatTheManifestsTellIsRecordedAsItsServiceHadIt() {
    thing("machine", "ledger-test");
    thing("volume", "half-made");
    AdoptionWave found = adoption.look("far").waves().get(0);
    assertEquals("books", found.wave());
    assertEquals("in-lost", found.service());
    assertEquals(3, found.newest(), "by number: the clock stepped back");
    assertEquals(taken, found.asOf());
    assertEquals(List.of(), found.findings());
    assertEquals(List.of(), tows(), "a look records nothing");
    verify(target, never()).attach(any(), any(), any());

    AdoptionView done = adopt(false, false);
    assertTrue(done.waves().get(0).adopted());
    assertEquals(2, done.left().size(), "what is in no point is left, and told");
    TowState state = state();
    assertEquals("books", state.tow.name);
    assertEquals(3, state.tow.points);
    assertFalse(state.tow.landed);
    assertFalse(state.tow.diverged);
    assertEquals("home", state.home.name);
    assertEquals("http://home", state.home.address);
    assertEquals(Map.of("owner", NASTY), state.labels.get(state.members.get(0).machineId));
    assertEquals(15, state.timetable.everySeconds);
    String machine = state.members.get(0).machineId;
    assertEquals(
        List.of(
            new Rule(RuleScope.CARD, machine, 0, Setting.ADDRESS, "10.0.0.9"),
            new Rule(RuleScope.MACHINE, machine, Setting.NAME, "books")),
        db.tx(s -> LaneRuleStore.all(s, state.lane.id)),
        "what was decided of its machines goes along");
    LegEntity leg = state.leg.orElseThrow();
    assertEquals(LegState.OPEN, leg.state);
    assertEquals("e", leg.heldBy, "no pass is made until somebody says so");
    assertEquals("mark-3", leg.marker);
    PointEntity newest = db.tx(s -> TowState.newestPoint(s, leg)).orElseThrow();
    assertEquals("p-3", newest.name);
    assertEquals(4096, newest.sent);
    assertEquals(
        List.of(new PointVolume("mem-abc", 0, "copy", "root", "copy-digests")),
        PointVolume.of(newest));
    ReplicaEntity replica = state.replicas.get(0);
    assertTrue(replica.anywhere, "what was written after the point is not known");
    assertFalse(replica.blank);
    assertEquals("far-key", replica.key);
    assertEquals(
        List.of("point p-1", "point p-2", "point p-3", "volume copy", "volume copy-digests"),
        recorded());
    verify(target).own("copy", "bargelane/in-new/tow-abc");
    verify(target, atLeastOnce())
        .attach("p-3", "service", "in-new".getBytes(StandardCharsets.UTF_8));
    verify(target, never()).deleteVolume(any());
    verify(compute, never()).remove(any());
    assertEquals(List.of(), adoption.look("far").waves(), "it is not offered again");
  }

  /** The other service's copies are of one disk; its machine has another, which stays left out. */
  @Test
  void aDiskThatWasLeftOutStaysSo() {
    String told =
        new String(manifest(4, taken.plusSeconds(90), "home").file(), StandardCharsets.UTF_8);
    String berth = "  home:\n    platformId: h-1\n";
    assertTrue(told.contains(berth), told);
    String out = berth + "    attached:\n    - scratch\n    - vol-0\n";
    point("p-4", told.replace(berth, out).getBytes(StandardCharsets.UTF_8));
    adopt(false, false);
    TowState state = state();
    MemberEntity m = state.members.get(0);
    assertEquals(List.of("scratch"), TowState.berth(m, Side.HOME).orElseThrow().leftOut());
    assertEquals(List.of("vol-0"), state.factsOf(m).disks().stream().map(d -> d.volume()).toList());
    assertEquals(List.of(1), state.placesOf(m));
    assertTrue(
        db.tx(s -> LaneRuleStore.all(s, state.lane.id))
            .contains(new Rule(RuleScope.DISK, m.machineId, 0, Setting.COPY, "off")));
  }

  /** Sites keep the highest epoch of each kind of work on a tow, and refuse what is lower. */
  @Test
  void sitesRefuseWhatTheOtherServiceStillDoes() {
    point("p-4", manifest(4, taken.plusSeconds(90), "home", 7_000_000).file());
    List<Acting> acting = new ArrayList<>();
    doAnswer(x -> Acting.current().map(acting::add))
        .when(target)
        .attach(eq("p-4"), eq("service"), any());
    adopt(false, false);
    assertEquals("pass of tow-abc", acting.get(0).key());
    assertTrue(acting.get(0).epoch() >= 8_000_000, acting.toString());
    long next =
        db.tx(
            s -> s.createNativeQuery("select nextval('run_epoch')", Long.class).getSingleResult());
    assertTrue(next > acting.get(0).epoch(), "and lets this service's own work through");
  }

  @Test
  void aCopyThatIsGoneIsToBeLoadedAgain() {
    owned.removeIf(o -> o.name().equals("copy"));
    adopt(false, false);
    TowState state = state();
    assertEquals(LegState.PAUSED, state.leg.orElseThrow().state);
    assertTrue(state.replicas.get(0).blank);
  }

  @Test
  void aServiceThatMayStillWorkIsNotRelieved() {
    point("p-4", 4, now.minusSeconds(29));
    assertEquals(List.of("service-may-live"), codes());
    ProblemException p = refused(false, false);
    assertEquals("service-may-live", p.code());
    assertTrue(p.getMessage().contains("29s old"), p.getMessage());
    verify(target, never()).attach(any(), any(), any());
    adopt(true, false);
    assertEquals(4, state().tow.points);
  }

  @Test
  void nothingIsTakenOverUnconfirmed() {
    ProblemException p =
        assertThrows(
            ProblemException.class,
            () -> adoption.adopt("far", new AdoptRequest("for", List.of(), false, false), "e"));
    assertEquals("not-confirmed", p.code());
    p =
        assertThrows(
            ProblemException.class,
            () ->
                adoption.adopt("far", new AdoptRequest("far", List.of("bricks"), null, null), "e"));
    assertEquals("wave-unknown", p.code());
    assertEquals(List.of(), tows());
  }

  @Test
  void machinesThatRunThereAreNotStartedAgain() {
    machines.add(facts("f-1", OWNER, true, "clone"));
    thing("machine", "f-1");
    owned.add(new Owned("machine", "f-1", "ledger", OWNER));
    thing("volume", "clone");
    AdoptionView done = adopt(false, false);
    assertTrue(done.waves().get(0).runsHere());
    TowState state = state();
    assertTrue(state.tow.landed);
    assertTrue(state.tow.diverged, "what the other side wrote last is not known");
    assertEquals("AWAY", Json.read(state.tow.divergence, Parting.class).winner());
    assertTrue(state.leg.isEmpty());
    assertEquals(
        new Berth("f-1", List.of("clone"), List.of()),
        TowState.berth(state.members.get(0), Side.AWAY).orElseThrow());
    assertTrue(recorded().containsAll(List.of("machine ledger", "volume clone")));
    assertFalse(recorded().contains("machine f-1"), "another machine's tag");
  }

  @Test
  void aMachineThatAMoveLeftSwitchedOffIsAskedAbout() {
    machines.add(facts("f-1", OWNER, false, "clone"));
    owned.add(new Owned("machine", "f-1", "ledger", OWNER));
    thing("volume", "clone");
    assertEquals("machine-left-by-move", refused(false, false).code());
    adopt(false, true);
    verify(compute).remove("f-1");
    verify(target, never()).deleteVolume(any());
    assertFalse(recorded().contains("volume clone"), "its disks stay, and are nobody's to remove");
    assertFalse(state().tow.landed);
  }

  @Test
  void aPointThatCanNotBeReadIsToldAndLeft() {
    point("old", "format: bargelane/manifest/3\n".getBytes(StandardCharsets.UTF_8));
    point("torn", "format: [".getBytes(StandardCharsets.UTF_8));
    point("other", manifest(9, taken, "tow-other").file());
    point("short", manifest(9, taken, "home").file());
    points.set(points.size() - 1, new PointRef("short", OWNER, List.of("copy")));
    point("bare", new byte[0]);
    files.remove("bare/manifest");
    byte[] whole = manifest(9, taken, "home").file();
    for (int cut = 0; cut < whole.length; cut += 97) {
      point("cut-" + cut, java.util.Arrays.copyOf(whole, cut));
    }
    String all = new String(whole, StandardCharsets.UTF_8);
    point("path", all.replace("leg-abc", "../../etc").getBytes(StandardCharsets.UTF_8));
    point("kind", all.replace("standin", "balloon").getBytes(StandardCharsets.UTF_8));
    AdoptionWave found = adoption.look("far").waves().get(0);
    assertEquals(3, found.points());
    FindingView finding = found.findings().get(0);
    assertEquals("point-unreadable", finding.code());
    assertTrue(
        finding.cause().contains("bargelane/manifest/3, and bargelane/manifest/5 is needed"),
        finding.cause());
    adopt(false, false);
    assertEquals(3, state().tow.points);
    assertFalse(recorded().contains("point old"));
  }

  @Test
  void aPointThatContradictsNewerOnesIsToldAndLeft() {
    String all = new String(manifest(1, taken, "home").file(), StandardCharsets.UTF_8);
    int before = adoption.look("far").waves().get(0).points();
    point("other-id", all.replace("leg-abc", "leg-xyz").getBytes(StandardCharsets.UTF_8));
    point("twice", twice(all).getBytes(StandardCharsets.UTF_8));
    when(target.attachment("long", Manifest.FILE))
        .thenThrow(Target.longAttachment("far", "long", Manifest.FILE));
    thing("point", "long");
    points.add(new PointRef("long", OWNER, List.of("copy", "copy-digests")));
    AdoptionWave found = adoption.look("far").waves().get(0);
    assertEquals(before, found.points());
    assertTrue(found.findings().get(0).cause().startsWith("3 points can't be read"), "" + found);
    adopt(false, false);
    assertEquals(before, state().tow.points);
  }

  /** The manifest with its machine told once more. */
  private static String twice(String manifest) {
    int machine = manifest.indexOf("- id: mem-abc");
    return manifest + manifest.substring(manifest.lastIndexOf('\n', machine) + 1);
  }

  @Test
  void idsOfAnotherWaveAreRefused() {
    adopt(false, false);
    String all = new String(manifest(9, taken, "tow-other").file(), StandardCharsets.UTF_8);
    thing("point", "foreign");
    String owner = OWNER.replace("tow-abc", "tow-other");
    points.add(new PointRef("foreign", owner, List.of("copy", "copy-digests")));
    owned.add(new Owned("point", "point-foreign", "foreign", owner));
    files.put(
        "foreign/manifest",
        all.replace("wave: books", "wave: prints").getBytes(StandardCharsets.UTF_8));
    assertTrue(codes().contains("name-taken"), codes().toString());
    ProblemException refused = assertThrows(ProblemException.class, () -> adopt(true, true));
    assertEquals(1, tows().size(), refused.getMessage());
  }

  @Test
  void aSiteWhoseAddressMeansAnotherPlaceFromHereIsToBeAddedFirst() {
    String all = new String(manifest(9, taken, "home").file(), StandardCharsets.UTF_8);
    String there = "kind: standin\n  address: http://home";
    assertTrue(all.contains(there), all);
    for (String address :
        List.of(
            "kind: libvirt\n  address: qemu:///system",
            "kind: libvirt\n  address: qemu+ext:///system",
            "kind: standin\n  address: ftp://home")) {
      point("p-9", all.replace(there, address).getBytes(StandardCharsets.UTF_8));
      ProblemException p = refused(false, false);
      assertEquals("site-address-unfit", p.code(), p.getMessage());
      points.remove(points.size() - 1);
    }
    verify(target, never()).attach(any(), any(), any());
  }

  @Test
  void ofTwoAtOnceOneTakesItOver() throws Exception {
    List<CompletableFuture<AdoptionView>> both =
        List.of(
            CompletableFuture.supplyAsync(() -> adopt(false, false)),
            CompletableFuture.supplyAsync(() -> adopt(false, false)));
    int done = 0;
    for (CompletableFuture<AdoptionView> one : both) {
      try {
        one.get();
        done++;
      } catch (ExecutionException e) {
        assertTrue(e.getCause() instanceof ProblemException, e.toString());
        String code = ((ProblemException) e.getCause()).code();
        assertTrue(List.of("wave-adopted", "nothing-to-adopt").contains(code), code);
      }
    }
    assertEquals(1, done);
    assertEquals(1, tows().size());
  }

  @Test
  void whatWasCutOffIsDoneAgain() {
    doThrow(new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "cut", null))
        .when(target)
        .own("copy-digests", "bargelane/in-new/tow-abc");
    assertThrows(SiteException.class, () -> adopt(false, false));
    assertEquals(List.of(), tows());
    // What came through before: its tag is on one of the copies already.
    owned.set(0, new Owned("volume", "copy", "copy", "bargelane/in-new/tow-abc"));
    files.put("p-1/service", "in-new".getBytes(StandardCharsets.UTF_8));
    reset(compute);
    org.mockito.Mockito.doNothing().when(target).own(any(), any());
    adopt(false, false);
    assertFalse(state().replicas.get(0).blank);
  }

  @Test
  void theServiceThatComesBackSeesThatItWasRelieved() {
    adopt(false, false);
    TowState state = state();
    LegEntity leg = state.leg.orElseThrow();
    files.put("p-3/service", "in-new".getBytes(StandardCharsets.UTF_8));
    services.custody().held(state, leg);
    services.custody().held(state);
    files.put("p-3/service", "in-newer".getBytes(StandardCharsets.UTF_8));
    assertThrows(RunFailure.class, () -> services.custody().held(state), "nor removes anything");
    RunFailure relieved = assertThrows(RunFailure.class, () -> services.custody().held(state, leg));
    assertEquals("wave-taken-over", relieved.code());
    // The point was thinned by then: the tag of the copies tells.
    files.remove("p-3/service");
    assertThrows(RunFailure.class, () -> services.custody().held(state, leg));
    owned.add(new Owned("volume", "copy", "copy", "bargelane/in-new/tow-abc"));
    services.custody().held(state, leg);
  }

  @Test
  void aProbeThatCanNotBeIsNoManifest() {
    Manifest m = manifest(1, taken, "home");
    Manifest.Machine x = m.machines().get(0);
    Manifest.Machine bad =
        new Manifest.Machine(
            x.id(),
            x.name(),
            x.rank(),
            x.size(),
            x.sizeBasis(),
            x.labels(),
            x.facts(),
            x.home(),
            x.away(),
            new TextNode("x"),
            x.refit(),
            x.disks(),
            x.settings());
    Manifest with =
        new Manifest(
            m.format(),
            m.wave(),
            m.tow(),
            m.point(),
            m.leg(),
            m.epoch(),
            m.asOf(),
            m.oneInstant(),
            m.spreadMs(),
            m.consistency(),
            m.pass(),
            m.kind(),
            m.verified(),
            m.sent(),
            m.from(),
            m.to(),
            m.home(),
            m.away(),
            m.lane(),
            m.timetable(),
            List.of(bad));
    assertThrows(Manifest.UnreadableException.class, () -> Manifest.read(with.file()));
    assertNull(x.probe());
  }

  @Test
  void aDecisionThatCanNotBeIsNoManifestAndOneOfTheVersionBeforeHasNone() throws Exception {
    String file = new String(manifest(1, taken, "home").file(), StandardCharsets.UTF_8);
    for (String[] bad :
        new String[][] {
          {"scope: card", "scope: planet"},
          {"scope: card", "scope: lane"},
          {"setting: address", "setting: name"},
          {"setting: name", "setting: colour"},
          {"value: books", "value: \"\""},
          {"value: books", "value: " + "x".repeat(8001)},
          {"part: 0", "part: 1"},
          {"part: -1", "part: 0"},
        }) {
      assertTrue(file.contains(bad[0]), file);
      byte[] changed = file.replace(bad[0], bad[1]).getBytes(StandardCharsets.UTF_8);
      assertThrows(Manifest.UnreadableException.class, () -> Manifest.read(changed), bad[1]);
    }
    String before =
        file.replace(Manifest.FORMAT, "bargelane/manifest/4").replaceAll("(?s)  settings:\n.*", "");
    Manifest read = Manifest.read(before.getBytes(StandardCharsets.UTF_8));
    assertEquals(List.of(), read.machines().get(0).rules("m-1"));
  }
}
