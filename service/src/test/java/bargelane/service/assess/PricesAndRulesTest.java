package bargelane.service.assess;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessmentComparison;
import bargelane.api.AssessmentView;
import bargelane.api.FitnessRulesAdd;
import bargelane.api.ImportResult;
import bargelane.api.PriceBookAdd;
import bargelane.api.RevisionAdd;
import bargelane.api.WhatIfRequest;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;

/**
 * What people give: price books and rules of the house; and what is handed out of an assessment.
 */
class PricesAndRulesTest extends AssessmentsFixture {

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
                l ->
                    l.kind().equals("licence")
                        && l.monthly().compareTo(new BigDecimal("20.00")) == 0),
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
}
