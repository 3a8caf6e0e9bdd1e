package bargelane.core;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Joins;
import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Preflight;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Shores;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Size;
import bargelane.core.site.Inventory.Storage;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class PreflightTest {

  private static final Capabilities SIZED =
      new Capabilities("cloud", "1", Capabilities.Reach.MACHINE, 65536, true, true, true, null);
  private static final Storage SHELF = new Storage("shelf", "", "ssd", BigDecimal.ZERO, "EUR");

  private static MachineFacts machine(String name, String address) {
    return new MachineFacts(
        "id-" + name,
        name,
        2,
        4096,
        "Debian",
        "bios",
        true,
        false,
        List.of(new Inventory.Disk(name + "-d", 1L << 30, "shelf")),
        List.of(new Nic("net", address, "")),
        List.of(),
        Map.of(),
        "",
        null,
        null);
  }

  private static Inventory inventory(String cidr, Quota quota, MachineFacts... machines) {
    return new Inventory(
        List.of(machines),
        List.of(new Network("net", "net", "", cidr, false)),
        List.of(SHELF),
        List.of(new Size("s", 2, 4096, BigDecimal.ONE, "EUR")),
        List.of(),
        quota);
  }

  private static final Quota ROOM = new Quota(10, 0, 100, 0);
  private static final LanePlan PLAN =
      new LanePlan(Map.of("net", "net"), Map.of("shelf", "shelf"), "", true);

  private static List<Code> codes(List<Preflight.Result> results) {
    return results.stream().flatMap(r -> r.findings().stream()).map(Finding::code).toList();
  }

  private static List<Preflight.Result> place(
      LanePlan plan, Inventory target, MachineFacts... machines) {
    return place(plan, SIZED, target, machines);
  }

  private static List<Preflight.Result> place(
      LanePlan plan, Capabilities capabilities, MachineFacts machine) {
    return place(plan, capabilities, inventory("10.0.0.0/24", ROOM), machine);
  }

  private static List<Preflight.Result> place(
      LanePlan plan, Capabilities capabilities, Inventory target, MachineFacts... machines) {
    List<Nic> used = target.machines().stream().flatMap(m -> m.nics().stream()).toList();
    Shores shores =
        new Shores("over", "there", inventory("10.0.0.0/24", ROOM), target, capabilities, used);
    return new Preflight("evening", new Rules(plan, List.of()), shores)
        .place(
            java.util.Arrays.stream(machines)
                .map(m -> new LaneMachine(m.name(), "", Map.of(), m, Optional.of("s")))
                .toList());
  }

  @Test
  void addressesAreKeptWhereTheSubnetHoldsThemAndChosenWhereNot() {
    List<Preflight.Result> r =
        place(
            PLAN,
            inventory("10.0.0.0/25", ROOM),
            machine("a", "10.0.0.7"),
            machine("b", "10.0.0.200"));
    assertTrue(r.get(0).placement().nics().get(0).kept());
    assertEquals("10.0.0.2", r.get(1).placement().nics().get(0).address());
    assertFalse(r.get(1).placement().nics().get(0).kept());
    assertTrue(r.get(0).holds() && r.get(1).holds());
  }

  @Test
  void aSubnetWithoutFreeAddressesIsFound() {
    // A /30 holds two usable addresses, of which .1 is the gateway's.
    assertEquals(
        List.of(Code.SUBNET_FULL),
        codes(
            place(
                PLAN,
                inventory("10.9.0.0/30", ROOM),
                machine("a", "10.0.0.7"),
                machine("b", "10.0.0.8"))));
  }

  private static Capabilities started(String... firmwares) {
    return new Capabilities(
        "host",
        "1",
        Capabilities.Reach.MACHINE,
        65536,
        true,
        false,
        true,
        null,
        null,
        List.of(firmwares));
  }

  @Test
  void aFirmwareThatTheTargetLacksIsInTheWayWhereItIsTold() {
    MachineFacts bios = machine("db", "10.0.0.7");
    assertEquals(List.of(Code.FIRMWARE_NOT_OFFERED), codes(place(PLAN, started("uefi"), bios)));
    assertEquals(List.of(), codes(place(PLAN, started("uefi", "bios"), bios)));
    assertEquals(List.of(), codes(place(PLAN, started(), bios)), "it is not told");
  }

  @Test
  void anAddressThatAnotherMachineUsesIsFound() {
    assertEquals(
        List.of(Code.ADDRESS_TAKEN),
        codes(
            place(
                PLAN,
                inventory("10.0.0.0/24", ROOM, machine("other", "10.0.0.7")),
                machine("a", "10.0.0.7"))));
  }

  @Test
  void whatIsNotJoinedOrJoinedToNothingIsFound() {
    LanePlan none = new LanePlan(Map.of(), Map.of("shelf", "gone"), "", true);
    assertEquals(
        List.of(Code.NETWORK_NOT_JOINED, Code.STORAGE_UNKNOWN),
        codes(place(none, inventory("10.0.0.0/24", ROOM), machine("a", "10.0.0.7"))));
  }

  @Test
  void quotasCountWhatIsUsedAndWhatComes() {
    assertEquals(
        List.of(Code.QUOTA_MACHINES, Code.QUOTA_VOLUMES),
        codes(
            place(
                PLAN, inventory("10.0.0.0/24", new Quota(3, 3, 5, 5)), machine("a", "10.0.0.7"))));
  }

  @Test
  void theWayBackTurnsEveryJoinRound() {
    LanePlan plan =
        new LanePlan(Map.of("n1", "x", "n2", "x", "n3", "y"), Map.of("a", "b"), "z", true);
    assertEquals(Map.of("x", "n1", "y", "n3"), plan.reverse().networks());
    assertEquals(Map.of("b", "a"), plan.reverse().storages());
    assertEquals(plan, plan.reverse().reverse(), "reversed twice it is the same lane");
  }

  @Test
  void aTargetNetworkWithoutARangeIsTakenAsItIsAndToldOf() {
    for (String untold : new String[] {"", null, "a bridge"}) {
      List<Preflight.Result> r =
          place(PLAN, inventory(untold, ROOM), machine("a", "10.0.0.7"), machine("b", ""));
      assertEquals(List.of(Code.SUBNET_RANGE_UNKNOWN, Code.SUBNET_RANGE_UNKNOWN), codes(r));
      assertTrue(r.get(0).holds() && r.get(1).holds(), "it is told, and keeps no gate shut");
      assertEquals("10.0.0.7", r.get(0).placement().nics().get(0).address());
      assertEquals("", r.get(1).placement().nics().get(0).address());
    }
  }

  @Test
  void addressesOfVersionSixAreKeptChosenAndFoundTaken() {
    Inventory six = inventory("2001:db8:7::/64", ROOM, machine("other", "2001:DB8:7:0::7"));
    List<Preflight.Result> r =
        place(
            PLAN,
            six,
            machine("a", "2001:db8:7::5"),
            machine("b", "2001:db8:7::7"),
            machine("c", "2001:db8:8::1"),
            machine("d", "10.0.0.7"));
    assertTrue(r.get(0).placement().nics().get(0).kept());
    assertEquals(List.of(Code.ADDRESS_TAKEN), codes(List.of(r.get(1))));
    assertEquals("2001:db8:7::2", r.get(2).placement().nics().get(0).address());
    assertEquals("2001:db8:7::3", r.get(3).placement().nics().get(0).address());
  }

  @Test
  void aCardOfVersionSixOnANetworkOfVersionFourGetsAnAddressThere() {
    List<Preflight.Result> r =
        place(PLAN, inventory("10.0.0.0/24", ROOM), machine("a", "2001:db8::1"));
    assertEquals("10.0.0.2", r.get(0).placement().nics().get(0).address());
    assertTrue(r.get(0).holds());
  }

  @Test
  void aCardWhoseAddressIsNoAddressStopsNothing() {
    List<Preflight.Result> r =
        place(
            PLAN,
            inventory("10.0.0.0/24", ROOM, machine("other", "dynamic")),
            machine("a", "unknown"));
    assertEquals("10.0.0.2", r.get(0).placement().nics().get(0).address());
  }

  @Test
  void aLaneTellsOnceWhatAllItsMachinesWouldMeet() {
    LanePlan plan = new LanePlan(Map.of("net", "gone"), Map.of(), "", true);
    Inventory shore = inventory("10.0.0.0/24", ROOM);
    List<Finding> findings =
        new Joins(new Rules(plan, List.of()), "over", shore, shore, "there").findings();
    assertEquals(
        List.of(Code.SUBNET_UNKNOWN, Code.STORAGE_NOT_JOINED),
        findings.stream().map(Finding::code).toList());
    assertEquals("there has no subnet gone, to which net is joined", findings.get(0).cause());
    assertTrue(
        findings
            .get(1)
            .remedy()
            .equals(Remedy.of("join it", Action.LANE_JOIN_STORAGE, "over", "shelf")));
  }
}
