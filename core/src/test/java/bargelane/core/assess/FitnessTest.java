package bargelane.core.assess;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.assess.Assessed.Verdict;
import bargelane.core.assess.Fitness.Condition;
import bargelane.core.assess.Fitness.Effect;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Fitness.Relation;
import bargelane.core.assess.Fitness.Rule;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class FitnessTest {

  private static Rule rule(Code code, Effect effect, Condition... when) {
    return new Rule(
        "r",
        code,
        List.of(when),
        effect,
        "{os} runs {disks.count} disks",
        "mend {os}",
        Who.ENGINEER);
  }

  private static Fitness rules(Rule... rules) {
    return new Fitness("1", List.of(), List.of(rules), List.of());
  }

  @Test
  void aFindingTellsItsRuleItsFactsAndWhoToldThem() {
    Rule r =
        rule(
            Code.DISKS_TOO_MANY,
            Effect.GOES_AFTER,
            new Condition("disks.count", Relation.OVER, "{target.disks}"));
    List<Judgement> told =
        rules(r)
            .judge(
                "m",
                Map.of("disks.count", 9, "target.disks", 8.0, "os", "Debian"),
                Map.of("disks.count", "mill"));
    assertEquals(1, told.size());
    Judgement j = told.get(0);
    assertEquals("Debian runs 9 disks", j.finding().cause());
    assertEquals("mend Debian", j.finding().remedy().advice());
    assertEquals(List.of("disks.count = 9"), j.facts());
    assertEquals("mill", j.source());
    assertEquals(
        List.of(), rules(r).judge("m", Map.of("disks.count", 8, "target.disks", 8), Map.of()));
    assertEquals(List.of(), rules(r).judge("m", Map.of("disks.count", 8), Map.of()));
  }

  @Test
  void relationsAreAsTheirNamesSay() {
    Map<String, Object> facts =
        Map.of("os", "Debian", "n", 3, "list", List.of("a", "B"), "yes", true, "empty", "");
    assertTrue(new Condition("os", Relation.IS, "debian").holds(facts));
    assertTrue(new Condition("os", Relation.NOT, "x").holds(facts));
    assertTrue(new Condition("os", Relation.IN, List.of("x", "Debian")).holds(facts));
    assertTrue(new Condition("list", Relation.HAS, "b").holds(facts));
    assertTrue(new Condition("n", Relation.IS, 3.0).holds(facts));
    assertTrue(new Condition("n", Relation.UNDER, 4).holds(facts));
    assertTrue(new Condition("yes", Relation.IS, true).holds(facts));
    assertTrue(new Condition("empty", Relation.KNOWN, false).holds(facts));
    assertTrue(new Condition("none", Relation.KNOWN, false).holds(facts));
    assertTrue(new Condition("n", Relation.KNOWN, true).holds(facts));
    for (Relation r : List.of(Relation.IS, Relation.NOT, Relation.OVER, Relation.UNDER)) {
      assertTrue(!new Condition("none", r, 1).holds(facts), "of what is not known nothing is said");
    }
  }

  @Test
  void theWorstEffectIsTheVerdictAndAMissingFactIsNone() {
    Subject m = Samples.subject(Samples.facts(2, 1024, 9), Optional.empty());
    Sized fits =
        new Sizing(
                Samples.offer(
                    List.of(Samples.size("s", 2, 1024, "1")),
                    Samples.storage(
                        "x", "", "1", bargelane.core.site.Inventory.StorageLimits.UNTOLD)),
                Samples.USUAL)
            .size(Basis.CONFIGURED, m);
    assertEquals(Verdict.GOES, verdict(m, fits, Effect.NOTE, Effect.MISSING));
    assertEquals(Verdict.GOES_AFTER, verdict(m, fits, Effect.NOTE, Effect.GOES_AFTER));
    assertEquals(Verdict.STAYS, verdict(m, fits, Effect.STAYS, Effect.GOES_AFTER));
    Sized none = new Sizing(Samples.offer(List.of()), Samples.USUAL).size(Basis.CONFIGURED, m);
    assertEquals(Verdict.GOES_AFTER, verdict(m, none));
  }

  private static Verdict verdict(Subject m, Sized sized, Effect... effects) {
    List<Judgement> all =
        java.util.Arrays.stream(effects)
            .map(e -> rules(rule(Code.HOUSE_RULE, e)).judge("m", Map.of(), Map.of()).get(0))
            .toList();
    return Assessed.of(m, sized, sized, Basis.CONFIGURED, all, "", "").verdict();
  }
}
