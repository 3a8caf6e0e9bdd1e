package bargelane.core.site;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** What a guest tells of its machine. */
class GuestFactsTest {

  private static final String MAC = "52:54:00:20:01:21";

  private static MachineFacts machine(Nic... nics) {
    return new MachineFacts(
        "p-1",
        "ledger",
        1,
        160,
        "",
        "bios",
        true,
        false,
        List.of(),
        List.of(nics),
        List.of(),
        Map.of(),
        "",
        null,
        GuestFacts.NONE);
  }

  private static GuestFacts guest(GuestFacts.Card... cards) {
    return new GuestFacts("ledger", "", "", List.of(), List.of(cards), Instant.EPOCH, "");
  }

  private static String address(Nic nic, GuestFacts told) {
    return machine(nic).telling(told).nics().get(0).address();
  }

  /** A host that carries a network as a bridge does not know what its guests call themselves. */
  @Test
  void aCardHasTheAddressThatTheGuestGaveItWhereThePlatformTellsNone() {
    Nic untold = new Nic("stacks", "", MAC);
    GuestFacts bridged =
        guest(
            new GuestFacts.Card("lo", "", List.of("127.0.0.1/8")),
            new GuestFacts.Card("eth0", MAC.toUpperCase(java.util.Locale.ROOT), List.of()),
            new GuestFacts.Card("br0", MAC, List.of("fe80::1/64", "169.254.0.4/16", "10.0.0.9/24")),
            new GuestFacts.Card("eth1", "52:54:00:20:02:21", List.of("10.0.1.9/24")));
    assertEquals("10.0.0.9", address(untold, bridged));
    assertEquals("10.0.0.7", address(new Nic("stacks", "10.0.0.7", MAC), bridged));
    assertEquals("", address(new Nic("stacks", "", ""), bridged), "nobody knows which card it is");
    for (String told : List.of("?", "2001:db8::5%eth0", "2001:db8::5%a;reboot/64")) {
      assertEquals("", address(untold, guest(new GuestFacts.Card("eth0", MAC, List.of(told)))));
    }
    assertEquals(
        "10.0.0.9",
        machine(untold).telling(bridged).telling(GuestFacts.NONE).nics().get(0).address(),
        "what was told once stays known");
  }
}
