package bargelane.service.assess;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedMachineView.CostLineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentAccept;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentComparison;
import bargelane.api.AssessmentView;
import bargelane.api.AssumptionsView;
import bargelane.api.AssumptionsView.HeadroomView;
import bargelane.api.CsvImport;
import bargelane.api.FitnessRulesAdd;
import bargelane.api.ImportResult;
import bargelane.api.PriceBookAdd;
import bargelane.api.RevisionAdd;
import bargelane.api.WhatIfRequest;
import bargelane.api.WhatIfView;
import bargelane.core.site.Inventory;
import bargelane.service.event.Events;
import bargelane.service.machine.MachineLists;
import bargelane.service.plan.WaveSizes;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.usage.UsageDigests;
import bargelane.service.usage.UsageLists;
import java.io.IOException;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Assessments of listed machines against a real PostgreSQL. */
class AssessmentsTest {

  private static final Instant NOW = Instant.parse("2026-11-10T08:00:00Z");
  private static final Clock CLOCK = Clock.fixed(NOW, ZoneOffset.UTC);
  private static final String INVENTORY =
      """
      {"machines":[],"networks":[],"zones":[],"quota":{"machines":0,"machinesUsed":0,"volumeGib":0,"volumeGibUsed":0},
       "storages":[{"id":"reed","name":"Reed","media":"ssd","pricePerGibMonth":0.1,"currency":"EUR","limits":{"gib":1000,"operations":9000,"throughputMib":200}}],
       "sizes":[{"id":"s-2","cpus":2,"memoryMib":4096,"pricePerHour":0.04,"currency":"EUR"},
                {"id":"s-4","cpus":4,"memoryMib":8192,"pricePerHour":0.08,"currency":"EUR"},
                {"id":"s-8","cpus":8,"memoryMib":16384,"pricePerHour":0.16,"currency":"EUR","limits":{"family":"big","generation":"1"}}]}
      """;
  private static final String BOOK =
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
  private static TestDatabase database;
  private static Db db;
  private static Events events;
  private static Assessments assessments;
  private static Rows rows;
  private static PriceBooks books;

  private static void scanned(String site, String inventory) {
    db.run(
        s ->
            new Inventories(s)
                .store(s.find(SiteEntity.class, site), Json.read(inventory, Inventory.class)));
  }

  @BeforeAll
  static void open() throws IOException {
    database = new TestDatabase();
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
    StringBuilder use = new StringBuilder("machine,time,seconds,cpu,memory\n");
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
          .append(",1073741824\n");
      use.append("idle,").append(at).append(",300,0.5,1073741824\n");
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
    db.close();
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

  private static void sql(String... statements) {
    db.run(
        s -> {
          for (String one : statements) {
            s.createNativeMutationQuery(one).executeUpdate();
          }
        });
  }

  private static AssumptionsView assumed(
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

  private static AssessmentView make(String name, String filter, String book) {
    return assessments.add(
        new AssessmentAdd(name, List.of(), filter, "marsh", book, AssumptionsView.UNSAID), "e");
  }

  private static AssessedMachineView machine(String assessment, int revision, String name) {
    return rows.machine(assessment, revision, name);
  }

  private static List<AssessedRow> list(String name, Rows.Choice choice) {
    return rows.list(name, 0, choice).items();
  }

  private static String refusal(Runnable asked) {
    ProblemException e = assertThrows(ProblemException.class, asked::run);
    assertFalse(e.remedy().none());
    return e.code();
  }

  @Test
  void totalsAreTheSumOfTheirRowsAndRowsOfTheirLines() {
    AssessmentView v = make("all", "site = list", "");
    assertEquals(4, v.count());
    BigDecimal sum = BigDecimal.ZERO;
    for (AssessedRow r : list("all", new Rows.Choice("", "", "", "machine", 0, 50))) {
      AssessedMachineView m = machine("all", 0, r.machineId());
      if (r.observedMonthly() != null) {
        BigDecimal lines =
            m.observed().lines().stream()
                .map(CostLineView::monthly)
                .reduce(BigDecimal.ZERO, BigDecimal::add);
        assertEquals(r.observedMonthly(), lines);
        sum = sum.add(lines);
      }
    }
    assertEquals(v.observed().monthly(), sum);
    assertEquals(2, v.observed().sized());
    assertEquals(2, v.observed().unsized());
    assertEquals(
        v.observed().monthly(),
        v.costs().stream().map(c -> c.observed()).reduce(BigDecimal.ZERO, BigDecimal::add));
  }

  @Test
  void aWindowWithoutTheNightGivesASmallerSizeAndAWarning() {
    make("night", "name = night", "");
    AssessedMachineView with = machine("night", 1, "night");
    assertEquals("s-8", with.observed().size(), "3.5 and a fifth are 4.2");
    assertTrue(with.observed().demands().get(0).derivation().contains("2026-10-31T20:00:00Z"));
    assessments.revise(
        "night",
        new RevisionAdd(assumed(8, LocalDate.of(2026, 11, 10), null, null, null), null, "shorter"),
        "e");
    AssessedMachineView without = machine("night", 2, "night");
    assertEquals("s-2", without.observed().size());
    assertTrue(
        without.warnings().stream().anyMatch(w -> w.contains("no month end")),
        without.warnings() + "");
    assertTrue(without.row().warned());
    assertEquals(with, machine("night", 1, "night"), "a revision does not change");
  }

  @Test
  void machinesWithoutFactsAndWithTooMuchGetReasonsAndNoNumbers() {
    make("hard", "name = blank or name = large", "");
    AssessedMachineView blank = machine("hard", 0, "blank");
    assertNull(blank.observed().monthly());
    assertEquals("fact-missing", blank.observed().findings().get(0).code());
    assertTrue(blank.judgements().stream().anyMatch(j -> j.rule().equals("system-unknown")));
    assertEquals("goes", blank.row().verdict(), "a missing fact is a finding and no verdict");
    AssessedMachineView large = machine("hard", 0, "large");
    assertNull(large.configured().monthly());
    assertEquals("disk-too-large", large.observed().findings().get(0).code());
    assertEquals("goes after", large.row().verdict());
    assertEquals(
        List.of("large"),
        list("hard", new Rows.Choice("goes after", "disk-too-large", "LAR", "-observed", 0, 9))
            .stream()
            .map(AssessedRow::machine)
            .toList());
  }

  @Test
  void fitnessTellsRuleFactsAndSource() {
    make("fit", "name = idle", "");
    AssessedMachineView idle = machine("fit", 0, "idle");
    var ended =
        idle.judgements().stream()
            .filter(j -> j.rule().equals("system-out-of-support"))
            .findFirst()
            .orElseThrow();
    assertEquals("goes after", ended.effect());
    assertTrue(ended.finding().cause().contains("2020-01-14"), ended.finding().cause());
    assertEquals(List.of("system.ended = yes"), ended.facts());
    assertTrue(ended.source().contains("lifecycle"));
    Set<String> codes = Set.copyOf(idle.row().reasons());
    assertTrue(
        codes.containsAll(Set.of("boot-legacy", "licence-not-chosen", "licence-tied")), codes + "");
    assertEquals("from inside", idle.way(), "a list gives no disks to read");
  }

  @Test
  void rulesOfTheHouseCountFromTheNextRevisionOnAndTakeThePlaceOfShippedOnes() {
    FitnessRules rules = new FitnessRules(db, events, CLOCK);
    make("house", "name = idle", "");
    rules.add(
        new FitnessRulesAdd(
            "ours",
            """
            format: bargelane/fitness/1
            version: "7"
            rules:
              - id: system-out-of-support
                when: {system.ended: true, label.licence: {in: [atlas, globe]}}
                effect: stays
                cause: "{os} under {label.licence}"
                remedy: "leave it"
            """),
        "e");
    assertEquals("goes after", machine("house", 1, "idle").row().verdict());
    assessments.revise("house", new RevisionAdd(null, null, ""), "e");
    AssessedMachineView now = machine("house", 2, "idle");
    assertEquals("stays", now.row().verdict());
    assertTrue(
        now.judgements().stream()
            .anyMatch(j -> j.finding().cause().equals("Windows Server 2008 R2 under atlas")));
    assertTrue(assessments.view("house", 2).rules().contains("ours 7"));
    rules.remove("ours", "e");
    assertEquals("rules-shipped", refusal(() -> rules.remove("shipped", "e")));
    assertEquals(1, rules.list().size());
  }

  @Test
  void badRulesAreRefusedWithTheRuleTheyAreIn() {
    FitnessRules rules = new FitnessRules(db, events, CLOCK);
    String head = "format: bargelane/fitness/1\nrules:\n";
    for (String bad :
        List.of(
            "",
            "format: other/1",
            "format: [",
            head + "  - {id: a, effect: note, cause: c, remedy: r}",
            head + "  - {id: a, when: {x: 1}, effect: maybe, cause: c, remedy: r}",
            head + "  - {id: a, code: no-such, when: {x: 1}, effect: note, cause: c, remedy: r}",
            head + "  - {id: a, when: {x: {near: 1}}, effect: note, cause: c, remedy: r}",
            head + "  - {id: a, when: {x: 1}, effect: note, cause: c}",
            head
                + "  - {id: a, when: {x: 1}, effect: note, cause: c, remedy: r}\n"
                + "  - {id: a, when: {x: 1}, effect: note, cause: c, remedy: r}",
            "format: bargelane/fitness/1\nsystems:\n  - {match: \"(\", family: x}",
            "format: bargelane/fitness/1\nsystems:\n  - {match: x, family: x, supportedUntil: soon}",
            "a: &a [x,x]\nb: *a\nformat: [*a,*a]")) {
      assertEquals(
          "rules-malformed", refusal(() -> rules.add(new FitnessRulesAdd("bad", bad), "e")), bad);
    }
    assertEquals(1, rules.list().size());
  }

  @Test
  void pricesOfABookCountByTheirDatesAndMissingOnesAreTold() {
    AssessmentView v = make("priced", "name = night or name = idle", "book");
    assertEquals("EUR", v.currency());
    assertTrue(v.notes().contains("without a price, so never chosen: s-8"), v.notes() + "");
    assertTrue(v.notes().contains("priced, but not offered there: punt"), v.notes() + "");
    assertEquals(new BigDecimal("99.50"), v.today());
    assertEquals(1, v.todayKnown());
    AssessedMachineView night = machine("priced", 1, "night");
    assertEquals(
        new BigDecimal("65.75"), night.configured().lines().get(0).monthly(), "0.09, not 2027's");
    assertTrue(night.observed().findings().stream().anyMatch(f -> f.code().equals("no-size-fits")));
    AssessedMachineView idle = machine("priced", 1, "idle");
    assertTrue(
        idle.observed().lines().stream()
            .anyMatch(
                l -> l.kind().equals("licence") && l.monthly().equals(new BigDecimal("20.00"))),
        "two processors under Atlas");
    assessments.revise(
        "priced",
        new RevisionAdd(
            assumed(null, null, 0.0, "1 year", Set.of(" Atlas ", "windows-server")), null, "owned"),
        "e");
    AssessedMachineView owned = machine("priced", 2, "idle");
    assertTrue(owned.observed().lines().stream().noneMatch(l -> l.kind().equals("licence")));
    AssessmentComparison c =
        new Comparisons(db)
            .compare(
                new Comparisons.Side("priced", 1),
                new Comparisons.Side("priced", 2),
                "observed",
                10);
    assertTrue(
        c.assumptions().stream()
            .anyMatch(d -> d.what().equals("commitment") && d.present().equals("1 year")));
    assertEquals(1, c.compared());
    assertEquals(1, c.onlyPresent());
    assertEquals(c.monthly(), owned.observed().monthly().subtract(idle.observed().monthly()));
    assertTrue(
        c.machines().stream()
            .filter(m -> m.machine().equals("idle"))
            .flatMap(m -> m.why().stream())
            .anyMatch(w -> w.contains("licences") || w.contains("to carry")));
    // The book may go: what was computed by it stays, and can be computed on.
    books.remove("book", "e");
    assertEquals(owned, machine("priced", 2, "idle"));
    assertEquals(
        2,
        new WhatIfs(db, assessments)
            .compute("priced", new WhatIfRequest(2, null, null, null, null))
            .machines());
    assertEquals(
        "book-unknown",
        refusal(() -> assessments.revise("priced", new RevisionAdd(null, null, ""), "e")));
  }

  @Test
  void badPriceBooksAreToldByLineAndNothingIsStored() {
    ImportResult bad =
        books.add(
            new PriceBookAdd(
                "bad",
                """
                item,name,unit,price,currency,valid_from,valid_until,commitment
                size,a,hour,-1,EUR,2026-01-01,,
                size,b,hour,1,USD,2026-01-01,,
                size,c,hour,1,EUR,2026-01-01,,1 year
                size,d,hour,1,EUR,2026-01-01,2026-06-01,
                size,d,hour,1,EUR,2026-05-01,,
                storage,e,operation,1,EUR,2026-01-01,,
                boat,f,hour,1,EUR,2026-01-01,,
                size,,day,1,EUR,never,,
                traffic,,GiB,1e3,EUR,2026-02-01,2026-01-01,
                """,
                false),
            "e");
    assertFalse(bad.stored());
    List<String> told =
        bad.problems().stream().map(p -> p.line() + " " + p.column() + " " + p.reason()).toList();
    for (String wanted :
        List.of(
            "2 price '-1' is below 0",
            "3 currency USD, but line 2 is in EUR",
            "4 name size c has no price by the hour",
            "6 valid_from 2026-05-01 lies within the time of line 5",
            "7 name storage e has no price a GiB",
            "8 item 'boat' is none of",
            "9 name is empty",
            "9 unit 'day' is not a unit of a size",
            "9 valid_from 'never' is not a date",
            "10 price '1e3' is not a price",
            "10 valid_until is not after")) {
      assertTrue(told.stream().anyMatch(t -> t.startsWith(wanted)), wanted + " in " + told);
    }
    assertEquals(1, books.list().size());
    assertTrue(books.add(new PriceBookAdd("x", "item\n", false), "e").problemCount() > 0);
    assertEquals(
        "name-malformed", refusal(() -> books.add(new PriceBookAdd("a b", BOOK, false), "e")));
    Random random = new Random(4);
    for (int i = 0; i < 300; i++) {
      StringBuilder mutated = new StringBuilder(BOOK);
      for (int k = 0; k < 4; k++) {
        mutated.setCharAt(random.nextInt(mutated.length()), (char) (32 + random.nextInt(95)));
      }
      ImportResult r = books.add(new PriceBookAdd("fuzz", mutated.toString(), true), "e");
      assertFalse(r.stored());
    }
  }

  @Test
  void whatCantBeAssessedIsRefusedWithItsReason() {
    assertEquals("selection-empty", refusal(() -> make("n", "name = nobody", "")));
    assertEquals("filter-malformed", refusal(() -> make("n", "name ==", "")));
    assertEquals("machines-missing", refusal(() -> make("n", "", "")));
    assertEquals("book-unknown", refusal(() -> make("n", "site = list", "none")));
    assertEquals(
        "target-missing",
        refusal(
            () -> assessments.add(new AssessmentAdd("n", List.of("idle"), "", "", "", null), "e")));
    assertEquals(
        "sizes-missing",
        refusal(
            () ->
                assessments.add(
                    new AssessmentAdd("n", List.of("idle"), "", "bare", "", null), "e")));
    assertEquals(
        "prices-missing",
        refusal(
            () ->
                assessments.add(
                    new AssessmentAdd("n", List.of("idle"), "", "bare", "book", null), "e")));
    assertEquals("name-malformed", refusal(() -> make("!", "site = list", "")));
    make("n", "name = idle", "");
    assertEquals("assessment-exists", refusal(() -> make("n", "name = idle", "")));
    for (AssumptionsView bad :
        List.of(
            assumed(0, null, null, null, null),
            assumed(null, LocalDate.of(2026, 11, 11), null, null, null),
            assumed(null, null, -1.0, null, null),
            assumed(null, null, null, "2 years", null))) {
      assertEquals(
          "assumption-malformed",
          refusal(() -> assessments.revise("n", new RevisionAdd(bad, null, ""), "e")));
    }
    assertEquals("revision-unknown", refusal(() -> assessments.view("n", 2)));
    assertEquals("machine-not-assessed", refusal(() -> machine("n", 1, "night")));
    assertEquals("sort-unknown", refusal(() -> list("n", new Rows.Choice("", "", "", "x", 0, 5))));
  }

  @Test
  void acceptedSizesAreKeptAndTellWhenANewerRevisionGivesOthers() {
    SizeChoices sizes = new SizeChoices(db, new WaveSizes(), events, CLOCK);
    make("acc", "name = night or name = blank", "");
    var done = sizes.accept("acc", new AssessmentAccept(0, "", List.of()), "e");
    assertEquals(1, done.accepted());
    assertEquals(List.of("blank"), done.unsized());
    String id = machine("acc", 1, "night").row().machineId();
    assertEquals("s-8", machine("acc", 1, "night").row().accepted());
    db.run(
        s -> {
          assertEquals("s-8", SizeChoices.accepted(s, id, "marsh").orElseThrow().size());
          assertTrue(SizeChoices.stale(s, id, "marsh", "s-8").isEmpty());
        });
    assessments.revise(
        "acc", new RevisionAdd(assumed(8, null, null, null, null), null, "shorter"), "e");
    db.run(
        s -> {
          var stale = SizeChoices.stale(s, id, "marsh", "s-8").orElseThrow();
          assertTrue(stale.cause().contains("revision 2 gives s-2"), stale.cause());
          assertTrue(SizeChoices.stale(s, id, "marsh", "by hand").isEmpty());
        });
    assertTrue(machine("acc", 2, "night").row().stale());
    assertEquals("assessment-in-use", refusal(() -> assessments.remove("acc", "e")));
    assertEquals(
        "size-not-found",
        refusal(() -> sizes.accept("acc", new AssessmentAccept(0, "", List.of("blank")), "e")));
    assertEquals(
        "machine-not-assessed",
        refusal(() -> sizes.accept("acc", new AssessmentAccept(0, "", List.of("idle")), "e")));
    assertEquals(
        "assessment-elsewhere",
        refusal(() -> sizes.accept("acc", "list", new AssessmentAccept(0, "", List.of()), "e")));
  }

  @Test
  void ofTwoThatAddOnePriceBookAtOnceTheSecondReplacesWhatTheFirstAdded() throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(4);
    List<Future<ImportResult>> all = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      all.add(pool.submit(() -> books.add(new PriceBookAdd("at-once", BOOK, false), "e")));
    }
    int added = 0;
    for (Future<ImportResult> f : all) {
      ImportResult result = f.get();
      assertTrue(result.stored());
      added += result.changed() == 0 ? 1 : 0;
    }
    pool.shutdown();
    assertEquals(1, added, "one added it and the others replaced it");
  }

  @Test
  void twoThatReviseAtOnceGetANumberEach() throws Exception {
    make("race", "site = list", "");
    ExecutorService pool = Executors.newFixedThreadPool(4);
    List<Future<Integer>> all = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      all.add(
          pool.submit(
              () -> assessments.revise("race", new RevisionAdd(null, null, ""), "e").revision()));
    }
    List<Integer> numbers = new ArrayList<>();
    for (Future<Integer> f : all) {
      numbers.add(f.get());
    }
    pool.shutdown();
    numbers.sort(null);
    assertEquals(List.of(2, 3, 4, 5), numbers);
    assertEquals(5, assessments.revisions("race").size());
  }

  @Test
  void ofTwoThatAddOneNameAtOnceOneIsToldSo() throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(2);
    List<Future<String>> both = new ArrayList<>();
    for (int i = 0; i < 2; i++) {
      both.add(
          pool.submit(
              () -> {
                try {
                  return make("same", "site = list", "").name();
                } catch (ProblemException e) {
                  return e.code();
                }
              }));
    }
    Set<String> told = Set.of(both.get(0).get(), both.get(1).get());
    pool.shutdown();
    assertEquals(Set.of("same", "assessment-exists"), told);
  }

  @Test
  void aGridCountsTheSameMachinesEverywhere() {
    make("grid", "site = list", "");
    WhatIfView grid =
        new WhatIfs(db, assessments)
            .compute(
                "grid",
                new WhatIfRequest(
                    0,
                    List.of(50.0, 100.0),
                    List.of(0.0, 400.0),
                    List.of("none"),
                    List.of(new BigDecimal("168"), new BigDecimal("60"))));
    assertEquals(8, grid.points().size());
    assertEquals(4, grid.machines());
    assertEquals(1, grid.compared(), "at 400 % the night fits nowhere, two have no size at all");
    assertTrue(grid.points().stream().anyMatch(WhatIfView.PointView::edge));
    assertEquals(
        "assumption-malformed",
        refusal(
            () ->
                new WhatIfs(db, assessments)
                    .compute("grid", new WhatIfRequest(0, List.of(0.0), null, null, null))));
  }

  @Test
  void costsComeAsOwnRowsAndInTheColumnsOfFocusAndThePageNeedsNothingElse() {
    AssessmentView v = make("out", "site = list", "book");
    CostRows costs = new CostRows(db);
    String own = costs.csv("out", 0, "observed", "own");
    String focus = costs.csv("out", 0, "observed", "focus");
    BigDecimal billed = BigDecimal.ZERO;
    List<String> lines = focus.lines().toList();
    int column = List.of(lines.get(0).split(",")).indexOf("BilledCost");
    for (String line : lines.subList(1, lines.size())) {
      billed = billed.add(new BigDecimal(line.split(",")[column]));
    }
    assertEquals(v.observed().monthly(), billed);
    assertEquals(own.lines().count(), lines.size());
    assertEquals("form-unknown", refusal(() -> costs.csv("out", 0, "observed", "xls")));
    String html = new AssessmentReport(db).html("out", 0);
    assertTrue(html.contains("Windows Server 2008 R2 has had no support"));
    assertFalse(html.contains("src=") || html.contains("http"), "no network");
  }

  @Test
  void daysOfBeforeAreDigestedWhenTheSchemaIsRaised() {
    make("before", "name = night", "");
    sql("delete from usage_digest");
    make("without", "name = night", "");
    assertEquals("s-4", machine("without", 0, "night").observed().size(), "as configured");
    db.run(s -> s.doWork(UsageDigests::catchUp));
    assessments.revise("without", new RevisionAdd(null, null, ""), "e");
    assertEquals(
        machine("before", 1, "night").observed(), machine("without", 2, "night").observed());
  }

  @Test
  void whatIsStoredCanBeReadAgain() {
    make("json", "name = night", "");
    String body =
        db.tx(
            s ->
                s.createNativeQuery("select body from assessed_machine limit 1", String.class)
                    .getSingleResult());
    assertEquals(body, Json.text(Json.read(body, Stored.class)));
  }
}
