package bargelane.service.estate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.CredentialAdd;
import bargelane.api.EstateExport;
import bargelane.api.EstateExportAsk;
import bargelane.api.EstateImport;
import bargelane.api.EstateResult;
import bargelane.api.LabelRuleAdd;
import bargelane.api.LaneAdd;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.api.SiteAdd;
import bargelane.api.TimetableAdd;
import bargelane.api.TimetableEdit;
import bargelane.api.WaveAdd;
import bargelane.api.WaveMachine;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.assess.SizeChoices;
import bargelane.service.event.Events;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.LabelRules;
import bargelane.service.machine.MachineEntity;
import bargelane.service.machine.ScanSchedule;
import bargelane.service.plan.WaveSizes;
import bargelane.service.plan.Waves;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.Passes;
import bargelane.service.replication.Services;
import bargelane.service.replication.Timetables;
import bargelane.service.run.RunEngine;
import bargelane.service.site.Credentials;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.service.site.Vault;
import com.github.kagkarlsson.scheduler.Scheduler;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Estate files on a real database, through the rooms that they are about. */
class EstatesTest {

  private static final List<String> LATER = List.of("mill", "marsh");

  @TempDir Path home;
  private final Clock clock = Clock.systemUTC();
  private TestDatabase database;
  private Db db;
  private Events events;
  private Scheduler scheduler;
  private Sites sites;
  private Timetables timetables;
  private LabelRules labels;
  private Lanes lanes;
  private Waves waves;
  private Estates estates;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    Credentials credentials =
        new Credentials(db, Vault.of(home.resolve("master-key"), db), events, clock);
    sites = new Sites(db, credentials, events, clock);
    RunEngine runs = new RunEngine(db, events, clock);
    ScanSchedule schedules = new ScanSchedule(db, runs, events, clock);
    Ledger ledger = new Ledger(db, sites, clock, "in-test", "node");
    Passes passes = new Passes(db, sites, ledger, events, runs, Duration.ofSeconds(6), clock);
    Services services = new Services(db, clock, events, sites, ledger, runs, passes);
    timetables = new Timetables(db, Duration.ofSeconds(5), legs -> {});
    labels = new LabelRules(db, events, clock);
    lanes = new Lanes(db, events);
    sites.add(lanes);
    waves = new Waves(services, new SizeChoices(db, new WaveSizes(), events, clock));
    estates =
        new Estates(
            db, new EstateRooms(sites, schedules, timetables, labels, lanes, waves), events, clock);
    scheduler = Scheduler.create(db.dataSource(), schedules.task()).threads(1).build();
    schedules.open(scheduler);
    credentials.add(
        new CredentialAdd("spare", "token", "", "sesame", List.of("127.0.0.1")), "test");
    for (String name : LATER) {
      sites.add(new SiteAdd(name, "standin", "http://127.0.0.1:1", "token-of-" + name, null));
      scanned(name);
    }
  }

  @AfterEach
  void shut() throws IOException {
    scheduler.stop();
    events.close();
    database.close();
  }

  private void scanned(String name) {
    db.run(
        s ->
            new Inventories(s)
                .store(
                    s.find(SiteEntity.class, Sites.find(s, name).id),
                    new Inventory(
                        List.of(),
                        List.of(
                            new Inventory.Network("front", "front", "", "10.0.0.0/24", false),
                            new Inventory.Network("back", "back", "", "10.0.1.0/24", false)),
                        List.of(
                            new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR")),
                        List.of(),
                        List.of("tide-1", "tide-2"),
                        new Inventory.Quota(10, 0, 100, 0))));
  }

  private String machine(String name) {
    MachineFacts facts =
        new MachineFacts(
            "p-" + Math.abs(System.nanoTime()),
            name,
            2,
            4096,
            "Debian",
            "uefi",
            true,
            false,
            List.of(new Inventory.Disk("d0", 1L << 30, "shelf")),
            List.of(new Inventory.Nic("front", "10.0.0.7", "")),
            List.of(),
            Map.of(),
            "",
            null,
            null);
    return db.tx(
        s -> {
          MachineEntity m = new MachineEntity();
          m.id = bargelane.service.platform.Ids.next("m");
          m.siteId = Sites.find(s, "mill").id;
          m.platformId = facts.platformId();
          m.name = name;
          m.facts = Json.text(facts);
          m.firstSeen = clock.instant();
          m.lastSeen = clock.instant();
          s.persist(m);
          return m.id;
        });
  }

  /** An installation with something of everything; two machines have one name. */
  private void populated() {
    machine("lending-db");
    machine("lending-app");
    String twin = machine("twin");
    machine("twin");
    timetables.add(new TimetableAdd("often", 15, 60, 6, true, false));
    labels.add(new LabelRuleAdd("name has lending", "tier", "gold"), "test");
    labels.add(new LabelRuleAdd("name has db", "tier", "silver"), "test");
    lanes.add(
        new LaneAdd(
            "over", "mill", "marsh", Map.of("front", "front"), Map.of("shelf", "shelf"), "", null));
    waves.add(
        new WaveAdd(
            "lending",
            "over",
            "often",
            List.of(new WaveMachine("lending-db", 1), new WaveMachine(twin, 2))));
    decide("lane", "", null, "zone", "tide-1");
    decide("lane", "", null, "address", "choose");
    decide("wave", "lending", null, "class", "shelf");
    decide("label", "tier=gold", null, "zone", "tide-2");
    decide("machine", "lending-db", null, "name", "db-1");
    decide("card", twin, 0, "address", "10.0.0.99");
    decide("disk", "lending-db", 0, "role", "log");
  }

  private void decide(String scope, String of, Integer part, String setting, String value) {
    lanes.decide(
        "over",
        new RuleChanges(List.of(new RuleChange(scope, of, part, setting, value))),
        Optional.empty());
  }

  private EstateExport export() {
    return estates.export(new EstateExportAsk(null), "test");
  }

  private static EstateImport file(String text) {
    return new EstateImport(text, null, null, null);
  }

  private EstateResult take(String text) {
    EstateResult r = estates.take(file(text), "test");
    assertTrue(r.done(), r.toString());
    return r;
  }

  private static List<String> changes(EstateResult r) {
    return r.changes().stream().map(c -> c.path() + ": " + c.before() + " > " + c.after()).toList();
  }

  private static String with(String text, String before, String after) {
    assertTrue(text.contains(before), text);
    return text.replace(before, after);
  }

  /** What is set up, without the line that says what the file goes back to. */
  private String now() {
    return export().yaml().replaceFirst("base: .*\n", "");
  }

  @Test
  void anExportThatIsImportedChangesNothing() {
    populated();
    String before = now();
    EstateResult r = take(export().yaml());
    assertEquals(List.of(), r.changes());
    assertEquals(List.of(), r.kept());
    assertEquals(before, now());
    assertFalse(before.contains("token-of-"), "no secret is in it");
  }

  @Test
  void whatTheFileChangesIsDoneAndAComparisonStoresNothing() {
    populated();
    String before = now();
    String file = export().yaml();
    file = with(file, "rpo: 1m", "rpo: 5m");
    file = with(file, "        zone: tide-1\n", "");
    file = with(file, "        address: choose\n", "        class: shelf\n");
    file =
        with(
            file,
            "        lending-db:\n          name: db-1\n",
            "        lending-app: {name: app-1}\n");
    file = with(file, "- mill\n", "- mill\n    - spare\n    schedule: 30 2 * * *\n");
    file = with(file, "value: silver", "value: bronze");
    file = with(file, "      lending-db: 1\n", "      lending-db: 3\n      lending-app: 1\n");
    EstateResult seen = estates.compare(file(file), "test");
    assertEquals(List.of(), seen.problems());
    assertFalse(seen.done());
    assertEquals(before, now());
    assertEquals(
        List.of(
            "labels/tier/rules: gold for name has lending; silver for name has db"
                + " > gold for name has lending; bronze for name has db",
            "lanes/over/decisions/lane/address: choose > null",
            "lanes/over/decisions/lane/class: null > shelf",
            "lanes/over/decisions/lane/zone: tide-1 > null",
            "lanes/over/decisions/machine/lending-app/name: null > app-1",
            "lanes/over/decisions/machine/lending-db/name: db-1 > null",
            "sites/mill/credentials: mill > mill, spare",
            "sites/mill/schedule: null > 30 2 * * *",
            "timetables/often/rpo: 1m > 5m",
            "waves/lending/machines/lending-app: null > 1",
            "waves/lending/machines/lending-db: 1 > 3"),
        changes(seen));
    EstateResult done = estates.take(new EstateImport(file, null, null, seen.state()), "test");
    assertTrue(done.done(), done.toString());
    assertEquals(changes(seen), changes(done));
    assertEquals(List.of(), take(file).changes(), "the second time nothing is left to change");
    assertEquals(List.of(), take(export().yaml()).changes());
    assertEquals(1, scheduler.getScheduledExecutions().size(), "the site is scanned by itself");
  }

  @Test
  void oneThingThatCannotBeDoneLeavesAllAsItWas() {
    populated();
    String before = now();
    String file = export().yaml();
    file = with(file, "rpo: 1m", "rpo: 5m");
    file = with(file, "zone: tide-1", "zone: tide-9");
    file = with(file, "      lending-db: 1\n", "      lending-db: 1\n      nobody: 2\n");
    file = with(file, "- mill\n", "- mill\n    - stolen\n");
    EstateResult r = estates.take(file(file), "test");
    assertFalse(r.done());
    assertEquals(before, now());
    String[] lines = file.split("\n");
    for (EstateResult.EstateProblem p : r.problems()) {
      String line = lines[p.line() - 1];
      assertTrue(
          List.of("tide-9", "nobody", "credentials", "mill").stream().anyMatch(line::contains),
          p + " is told at: " + line);
    }
    assertEquals(3, r.problems().size(), r.problems().toString());
  }

  @Test
  void whatSomebodyElseHasChangedSinceIsKeptAndAConflictIsForPeopleToSettle() {
    populated();
    String file = with(export().yaml(), "keep: 6", "keep: 9");
    timetables.edit("often", new TimetableEdit(null, 120, null, null, null));
    EstateResult r = take(file);
    assertEquals(List.of("timetables/often/keep: 6 > 9"), changes(r));
    assertEquals("timetables/often/rpo", r.kept().get(0).path());
    assertEquals(120, timetables.view("often").rpoSeconds());

    String both = with(file, "rpo: 1m", "rpo: 10m");
    EstateResult refused = estates.take(file(both), "test");
    assertFalse(refused.done());
    EstateResult.EstateConflict c = refused.conflicts().get(0);
    assertEquals(
        "timetables/often/rpo 1m 2m 10m",
        c.path() + " " + c.base() + " " + c.service() + " " + c.file());
    assertEquals(120, timetables.view("often").rpoSeconds());
    assertTrue(estates.take(new EstateImport(both, null, "service", null), "test").done());
    assertEquals(120, timetables.view("often").rpoSeconds());
    // What was settled is settled: the file has it otherwise than it stands, on purpose.
    assertEquals(List.of(), take(both).changes());
    assertEquals(
        List.of("timetables/often/rpo: 2m > 20m"),
        changes(
            estates.take(
                new EstateImport(with(both, "rpo: 10m", "rpo: 20m"), null, "file", null), "test")));
    assertEquals(1200, timetables.view("often").rpoSeconds());
  }

  @Test
  void aFileIsGoneBackToByImportingItAsItWas() {
    populated();
    String first = export().yaml();
    take(with(first, "rpo: 1m", "rpo: 5m"));
    assertEquals(List.of("timetables/often/rpo: 5m > 1m"), changes(take(first)));
  }

  @Test
  void aFileWithoutABaseAddsAndTakesNothingAway() {
    populated();
    String file =
        """
        format: bargelane/estate/1
        timetables:
          nightly: {every: 1d, rpo: 2d, keep: 3}
        """;
    EstateResult r = take(file);
    assertEquals(5, r.changes().size());
    assertFalse(r.baseKnown());
    assertTrue(timetables.view("nightly").verify());
    String next =
        file.replace("format", "base: " + r.base() + "\nformat").replace("keep: 3", "keep: 4");
    // The format comes first.
    next = next.replaceFirst("base: (.*)\n(format: .*)\n", "$2\nbase: $1\n");
    assertEquals(List.of("timetables/nightly/keep: 3 > 4"), changes(take(next)));
    assertFalse(estates.take(file(file.replace("keep: 3", "keep: 5")), "test").done());
  }

  @Test
  void whatIsTakenOutOfTheFileGoesUnlessSomethingNeedsIt() {
    populated();
    String file = export().yaml();
    int waveAt = file.indexOf("waves:\n");
    int laneAt = file.indexOf("lanes:\n");
    // The wave decides something on the lane that stays.
    String without =
        file.substring(0, waveAt).replaceFirst("(?s)      wave:\n.*?\n(      [a-z]+:\n|$)", "$1");
    assertEquals(
        List.of(), take(file.substring(0, waveAt)).changes(), "a section that is not there");
    without += "waves: {}\n";
    EstateResult r = take(without);
    assertTrue(r.changes().stream().allMatch(c -> c.after() == null), r.toString());
    assertEquals(0, db.tx(s -> Db.list(s, Object.class, "from WaveEntity")).size());
    take(file);
    String neither =
        file.substring(0, laneAt)
                .replaceFirst("(?s)timetables:\n.*?\nlabels:", "timetables: {}\nlabels:")
            + "lanes: {}\nwaves: {}\n";
    take(neither);
    assertEquals(List.of(), timetables.list());
    assertEquals(List.of(), lanes.list());
    assertEquals(2, sites.list().size());
    take(file);
    assertEquals("often", timetables.list().get(0).name());

    db.run(
        s -> {
          LegEntity leg = new LegEntity();
          leg.id = "leg-1";
          leg.towId = Waves.tow(s, Waves.find(s, "lending")).id;
          leg.number = 1;
          leg.direction = bargelane.core.replication.Direction.OUT;
          leg.state = bargelane.core.replication.LegState.OPEN;
          leg.heldBy = "";
          leg.marker = "bl-marker";
          s.persist(leg);
        });
    for (String edited : List.of(without, with(file, "lending-db: 1", "lending-db: 2"))) {
      EstateResult loaded = estates.take(file(edited), "test");
      assertFalse(loaded.done());
      assertTrue(loaded.problems().get(0).cause().contains("has been loaded"), loaded.toString());
    }
  }

  @Test
  void ofTwoWhoImportWhatTheyComparedAtOnceTheSecondIsTold() throws Exception {
    populated();
    String file = export().yaml();
    List<String> files = new ArrayList<>();
    String state = estates.compare(file(file), "test").state();
    files.add(with(file, "rpo: 1m", "rpo: 5m"));
    files.add(with(file, "zone: tide-1", "zone: tide-2"));
    List<String> left = java.util.Collections.synchronizedList(new ArrayList<>(files));
    assertEquals(
        List.of("changed-meanwhile", "done"),
        AtOnce.fare(
            2, () -> estates.take(new EstateImport(left.remove(0), null, null, state), "test")));
  }

  @Test
  void onlyTheSectionsThatAreAskedForAreTouched() {
    populated();
    String file = with(with(export().yaml(), "rpo: 1m", "rpo: 5m"), "zone: tide-1", "zone: tide-2");
    EstateResult r =
        estates.take(new EstateImport(file, List.of("timetables"), null, null), "test");
    assertEquals(List.of("timetables/often/rpo: 1m > 5m"), changes(r));
    assertEquals(1, take(file).changes().size(), "the rest is still to be taken");
    assertThrows(
        ProblemException.class,
        () -> estates.take(new EstateImport(file, List.of("servers"), null, null), "test"));
    assertFalse(
        estates.export(new EstateExportAsk(List.of("lanes")), "test").yaml().contains("sites:"));
  }

  /** The clock steps back while there are as many as are kept. */
  @Test
  void theBasesThatWereUsedLastAreKeptWhateverTheClockSays() {
    List<String> bases = new ArrayList<>();
    db.run(
        s -> {
          for (int i = 0; i < EstateBases.MOST; i++) {
            bases.add(EstateBases.keep(s, new TreeMap<>(), "test", clock.instant()));
          }
          EstateBases.change(s, bases.get(0), new TreeMap<>());
          s.flush();
          bases.add(EstateBases.keep(s, new TreeMap<>(), "test", Instant.EPOCH));
          assertTrue(EstateBases.read(s, bases.get(EstateBases.MOST)).isPresent(), "the newest");
          assertTrue(EstateBases.read(s, bases.get(0)).isPresent(), "one that was used again");
          assertTrue(
              EstateBases.read(s, bases.get(1)).isEmpty(), "the one that was used longest ago");
          assertTrue(EstateBases.read(s, bases.get(2)).isPresent());
        });
  }
}
