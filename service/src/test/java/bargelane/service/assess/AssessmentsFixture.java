package bargelane.service.assess;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentView;
import bargelane.api.AssumptionsView;
import bargelane.api.AssumptionsView.HeadroomView;
import bargelane.api.CsvImport;
import bargelane.api.PriceBookAdd;
import bargelane.core.site.Inventory;
import bargelane.service.event.Events;
import bargelane.service.machine.MachineLists;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.usage.UsageLists;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;

/** A database with machines, their use, prices and rules, for tests of assessments. */
abstract class AssessmentsFixture {

  static final Instant NOW = Instant.parse("2026-11-10T08:00:00Z");
  static final Clock CLOCK = Clock.fixed(NOW, ZoneOffset.UTC);
  static final String INVENTORY =
      """
      {"machines":[],"networks":[],"zones":[],"quota":{"machines":0,"machinesUsed":0,"volumeGib":0,"volumeGibUsed":0},
       "storages":[{"id":"reed","name":"Reed","media":"ssd","pricePerGibMonth":0.1,"currency":"EUR","limits":{"gib":1000,"operations":9000,"throughputMib":200}}],
       "sizes":[{"id":"s-2","cpus":2,"memoryMib":4096,"pricePerHour":0.04,"currency":"EUR"},
                {"id":"s-4","cpus":4,"memoryMib":8192,"pricePerHour":0.08,"currency":"EUR"},
                {"id":"s-8","cpus":8,"memoryMib":16384,"pricePerHour":0.16,"currency":"EUR","limits":{"family":"big","generation":"1"}}]}
      """;
  static final String BOOK =
      """
      item,name,unit,price,currency,valid_from,valid_until,commitment
      size,s-2,hour,0.05,EUR,2026-01-01,,
      size,s-4,hour,0.09,EUR,2026-01-01,,
      size,s-4,hour,0.06,EUR,2026-01-01,,1 year
      size,s-4,hour,0.07,EUR,2027-01-01,,
      size,punt,hour,0.01,EUR,2026-01-01,,
      storage,reed,GiB,0.20,EUR,2026-01-01,,
      licence,Atlas,processor,10,EUR,2026-01-01,,
      machine,Night,month,99.50,EUR,2026-01-01,,
      """;
  static TestDatabase database;
  static Db db;
  static Events events;
  static Assessments assessments;
  static Rows rows;
  static PriceBooks books;

  static void scanned(String site, String inventory) {
    db.run(
        s ->
            new Inventories(s)
                .store(s.find(SiteEntity.class, site), Json.read(inventory, Inventory.class)));
  }

  @BeforeAll
  static void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, CLOCK, database.url, "bargelane", database.password);
    assessments = new Assessments(db, events, CLOCK);
    rows = new Rows(db);
    books = new PriceBooks(db, events, CLOCK);
    sql(
        "insert into site (id, name, kind, address, created_at, findings) values ('list', 'list', 'csv', '', now(), '[]')",
        "insert into site (id, name, kind, address, created_at, findings) values"
            + " ('marsh', 'marsh', 'standin', '', now(), '[]'), ('bare', 'bare', 'libvirt', '', now(), '[]')");
    scanned("marsh", INVENTORY);
    scanned("bare", INVENTORY.replaceAll("(?s)\"sizes\":.*", "\"sizes\":[]}"));
    MachineLists lists = new MachineLists(db, events, CLOCK);
    assertEquals(
        List.of(),
        lists
            .machines(
                "list",
                new CsvImport(
                    """
                    name,cpus,memory,os,firmware,disks,label.licence
                    night,4,8 GiB,Debian GNU/Linux 12,uefi,100 GiB,
                    idle,8,16 GiB,Windows Server 2008 R2,bios,50 GiB,atlas
                    blank,,,,,10 GiB,
                    large,2,4 GiB,Plan 9,uefi,2 TiB,
                    """,
                    false,
                    false),
                "e")
            .problems());
    StringBuilder use = new StringBuilder("machine,time,seconds,cpu,memory,writes\n");
    for (Instant at = Instant.parse("2026-10-20T00:00:00Z");
        at.isBefore(NOW);
        at = at.plusSeconds(300)) {
      boolean night =
          !at.isBefore(Instant.parse("2026-10-31T20:00:00Z"))
              && at.isBefore(Instant.parse("2026-11-01T04:00:00Z"));
      use.append("night,")
          .append(at)
          .append(",300,")
          .append(night ? "3.5" : "0.25")
          .append(",1073741824,40\n");
      use.append("idle,").append(at).append(",300,0.5,1073741824,\n");
    }
    assertEquals(
        List.of(),
        new UsageLists(db, events, CLOCK)
            .usage(new CsvImport(use.toString(), false, false), "e")
            .problems());
  }

  @AfterAll
  static void shut() throws IOException {
    events.close();
    database.close();
  }

  @BeforeEach
  void noneYet() {
    sql(
        "delete from size_choice",
        "delete from assessment",
        "delete from price_book",
        "delete from fitness_rules");
    assertEquals(0, books.add(new PriceBookAdd("book", BOOK, false), "e").problemCount());
  }

  static void sql(String... statements) {
    db.run(
        s -> {
          for (String one : statements) {
            s.createNativeMutationQuery(one).executeUpdate();
          }
        });
  }

  static AssumptionsView assumed(
      Integer days, LocalDate until, Double headroom, String commitment, Set<String> own) {
    return new AssumptionsView(
        null,
        null,
        days,
        until,
        null,
        headroom == null ? null : new HeadroomView(headroom, headroom, headroom, headroom),
        null,
        null,
        null,
        null,
        commitment,
        null,
        null,
        null,
        own,
        null,
        null);
  }

  static AssessmentView make(String name, String filter, String book) {
    return assessments.add(
        new AssessmentAdd(name, List.of(), filter, "marsh", book, AssumptionsView.UNSAID), "e");
  }

  static AssessedMachineView machine(String assessment, int revision, String name) {
    return rows.machine(assessment, revision, name);
  }

  static List<AssessedRow> list(String name, Rows.Choice choice) {
    return rows.list(name, 0, choice).items();
  }

  static String refusal(Runnable asked) {
    ProblemException e = assertThrows(ProblemException.class, asked::run);
    assertFalse(e.remedy().none());
    return e.code();
  }
}
