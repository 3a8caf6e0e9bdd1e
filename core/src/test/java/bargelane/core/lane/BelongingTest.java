package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Offers;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.NameRule;
import bargelane.core.wave.ProbePlan;
import bargelane.core.wave.Proof;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class BelongingTest {

  @Test
  void labelsAreReadAsPeopleWriteThem() {
    assertEquals(
        Optional.of(Map.of("cost-centre", "12", "owner", "the library")),
        Belonging.labels("cost-centre=12; owner = the library".replace(" = ", "=")));
    assertEquals(Optional.of(Map.of("empty", "")), Belonging.labels("empty="));
    for (String wrong :
        new String[] {"", "x", "=1", "a=1; a=2", "a=1;", "a=b=c", "1a=x", "a=" + "x".repeat(121)}) {
      assertEquals(Optional.empty(), Belonging.labels(wrong), wrong);
    }
    StringBuilder many = new StringBuilder("a0=x");
    for (int i = 1; i < 31; i++) {
      many.append("; a").append(i).append("=x");
    }
    assertEquals(Optional.empty(), Belonging.labels(many.toString()));
  }

  private static LaneMachine machine() {
    MachineFacts facts =
        new MachineFacts(
            "vm-1",
            "db",
            1,
            1024,
            "Debian",
            "bios",
            true,
            false,
            List.of(),
            List.of(),
            List.of(),
            Map.of("app", "lending"),
            "",
            null,
            null);
    return new LaneMachine("db", "", Map.of(), facts, Optional.empty());
  }

  private static Preflight.Result place(List<String> projects, Rule... rules) {
    Inventory target =
        new Inventory(
            List.of(),
            List.of(),
            List.of(),
            List.of(),
            List.of(),
            new Quota(10, 0, 10, 0),
            new Offers(NameRule.ANY, List.of(), false, false, projects, List.of("reader")));
    return new Preflight(
            "",
            new Rules(new LanePlan(Map.of(), Map.of(), "", true), List.of(rules)),
            new Shores(
                "over",
                "there",
                target,
                target,
                new Capabilities(
                    "cloud", "1", Capabilities.Reach.MACHINE, 65536, true, false, true, null),
                List.of()))
        .place(List.of(machine()))
        .get(0);
  }

  private static Rule of(RuleScope scope, String of, Setting setting, String value) {
    return new Rule(scope, of, setting, value);
  }

  /** A target may withdraw what was chosen: that is found before anything is made there. */
  @Test
  void whatIsChosenHasToBeOffered() {
    Rule lane = of(RuleScope.LANE, "", Setting.PROJECT, "county/libraries");
    Rule own = of(RuleScope.MACHINE, "db", Setting.PROJECT, "county/archive");
    Rule identity = of(RuleScope.LANE, "", Setting.IDENTITY, "reader");
    Rule labels = of(RuleScope.LANE, "", Setting.LABELS, "owner=library");
    List<String> offered = List.of("county/libraries", "county/archive");
    Preflight.Result r = place(offered, lane, own, identity, labels);
    assertEquals(List.of(), r.findings());
    assertEquals(
        new Belonging("county/archive", "reader", Map.of("owner", "library")),
        r.placement().belonging());
    Preflight.Result gone = place(List.of("county/libraries"), lane, own);
    assertEquals(
        List.of(Code.CHOICE_NOT_OFFERED), gone.findings().stream().map(Finding::code).toList());
    assertEquals("there has no project county/archive", gone.findings().get(0).cause());
    assertTrue(gone.findings().get(0).blocks());
  }

  @Test
  void processorsAreSharedEvenlyBySockets() {
    Preflight.Result r = place(List.of(), of(RuleScope.LANE, "", Setting.SOCKETS, "1"));
    assertEquals(1, r.placement().sockets());
    assertEquals(List.of(), r.findings());
    Preflight.Result unfit = place(List.of(), of(RuleScope.LANE, "", Setting.SOCKETS, "2"));
    assertEquals(
        List.of(Code.SOCKETS_UNFIT), unfit.findings().stream().map(Finding::code).toList());
    assertEquals(
        "its 1 processor can't be shared evenly by 2 sockets", unfit.findings().get(0).cause());
  }

  @Test
  void aProofLapsesWhereItBelongsToAnother() {
    Rule reader = of(RuleScope.LANE, "", Setting.IDENTITY, "reader");
    Rule project = of(RuleScope.LANE, "", Setting.PROJECT, "p");
    MachineFacts facts = machine().facts();
    Proof before =
        Proof.of(place(List.of("p"), reader).placement(), facts, ProbePlan.USUAL, List.of());
    Proof now =
        Proof.of(place(List.of("p"), project).placement(), facts, ProbePlan.USUAL, List.of());
    assertEquals(List.of("the project", "the identity that it runs under"), before.lapsedBy(now));
    assertEquals(List.of(), before.lapsedBy(before));
  }

  @Test
  void theyTakeThePlaceOfThoseOfTheSameKey() {
    Belonging b = new Belonging("", "", Map.of("app", "loans", "owner", "library"));
    assertEquals(
        Map.of("app", "loans", "owner", "library", "role", "database"),
        b.labelsOf(Map.of("app", "lending", "role", "database")));
  }
}
