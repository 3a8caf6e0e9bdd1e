package bargelane.service.assess;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedMachineView.CostLineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentAccept;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentView;
import bargelane.api.AssumptionsView;
import bargelane.api.RevisionAdd;
import bargelane.api.WhatIfRequest;
import bargelane.api.WhatIfView;
import bargelane.core.lane.Suggestions.Use;
import bargelane.service.plan.WaveSizes;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.usage.UsageDigests;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;

/** Revisions: sums, demands, findings, accepted sizes, and two that ask at once. */
class AssessmentsTest extends AssessmentsFixture {

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
  void whatDisksDoIsKnownOfMachinesWithAnAcceptedSize() {
    make("use", "site = list", "");
    assertEquals(Map.of(), db.tx(s -> DiskUses.of(s, "list", "marsh")));
    new SizeChoices(db, new WaveSizes(), events, CLOCK)
        .accept("use", new AssessmentAccept(0, "", List.of()), "e");
    Map<String, Use> uses = db.tx(s -> DiskUses.of(s, "list", "marsh"));
    assertEquals(1, uses.size());
    Use use = uses.values().iterator().next();
    assertEquals(Map.of("reed", 1L), use.classes(), "nothing is measured of the disk of idle");
    assertTrue(use.operations() >= 40 && use.operations() < 80, "40 and headroom: " + use);
    assertEquals(Map.of(), db.tx(s -> DiskUses.of(s, "marsh", "marsh")));
    assertEquals(Map.of(), db.tx(s -> DiskUses.of(s, "list", "bare")));
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
