package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;

import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

/** Whether a machine is started when it has landed. */
class PowerTest {

  private static Preflight.Result place(boolean on, String... decided) {
    Inventory site =
        new Inventory(
            List.of(),
            List.of(),
            List.of(),
            List.of(),
            List.of(),
            new Inventory.Quota(10, 0, 10, 0));
    MachineFacts facts =
        new MachineFacts(
            "vm-1", "standby", 1, 1024, "Debian", "bios", on, false, List.of(), List.of(),
            List.of(), Map.of(), "", null, null);
    List<Rule> rules =
        java.util.Arrays.stream(decided)
            .map(v -> new Rule(RuleScope.LANE, "", Rule.WHOLE, Setting.POWER, v))
            .toList();
    return new Preflight(
            "",
            new Rules(new LanePlan(Map.of(), Map.of(), "", true), rules),
            new Shores(
                "over",
                "there",
                site,
                site,
                new Capabilities(
                    "cloud", "1", Capabilities.Reach.MACHINE, 65536, true, false, true, null),
                List.of()))
        .place(List.of(new LaneMachine("m", "", Map.of(), facts, Optional.empty())))
        .get(0);
  }

  private static List<String> causes(Preflight.Result r) {
    return r.findings().stream().map(f -> f.code().text() + ": " + f.cause()).toList();
  }

  @Test
  void itIsStartedUnlessItIsKeptOff() {
    assertFalse(place(true).placement().keptOff());
    assertEquals(List.of(), causes(place(true)));
    assertEquals(true, place(false, "off").placement().keptOff());
    assertEquals(List.of(), causes(place(false, "off")));
    assertEquals(List.of(), causes(place(false, "on")), "it was said");
  }

  @Test
  void whatDiffersFromTheSourceIsToldUntilItHasLanded() {
    assertEquals(
        List.of("power-differs: it is off at its source, and is started when it has landed"),
        causes(place(false)));
    assertEquals(
        List.of("power-differs: it runs at its source, and is not started when it has landed"),
        causes(place(true, "off")));
    assertEquals(List.of(), causes(place(true, "off").landed()));
  }
}
