package bargelane.core.machine;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.guest.Survey;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import org.junit.jupiter.api.Test;

class MarksTest {

  private static MachineFacts facts(String platformId, String... macs) {
    return new MachineFacts(
        platformId,
        "lending-db",
        4,
        8192,
        "Debian",
        "uefi",
        true,
        false,
        List.of(),
        java.util.Arrays.stream(macs).map(m -> new Nic("data", "", m)).toList(),
        List.of(),
        Map.of(),
        "",
        null,
        null);
  }

  private static Survey guest(String guestId, String hardwareId) {
    return new Survey(
        Instant.EPOCH,
        "",
        guestId,
        hardwareId,
        "",
        "",
        "",
        "",
        "",
        "",
        Optional.empty(),
        "",
        "",
        "",
        0,
        "",
        0,
        0,
        List.of(),
        List.of(),
        List.of(),
        List.of(),
        List.of(),
        List.of(),
        List.of(),
        List.of(),
        null,
        List.of());
  }

  @Test
  void aFirmwareThatSwapsTheFirstThreeFieldsIsTheSameMachine() {
    String told = "00112233-4455-6677-8899-AABBCCDDEEFF";
    String swapped = "33221100-5544-7766-8899-aabbccddeeff";
    assertEquals(Marks.of(facts(told), "").hardware(), Marks.of(facts(swapped), "").hardware());
    assertEquals(
        Marks.of(facts("vm-1"), swapped).hardware(), Marks.of(facts("vm-2"), told).hardware());
    for (int i = 0; i < 100; i++) {
      String id = UUID.randomUUID().toString();
      assertEquals(id, Marks.swapped(Marks.swapped(id)));
    }
  }

  @Test
  void whatIsNotAFirmwaresIdIsNoMark() {
    assertEquals(Set.of(), Marks.of(facts("vm-17"), "").hardware());
    assertEquals(
        Set.of(), Marks.of(facts("00112233-4455-6677-8899-AABBCCDDEEFF-1"), "not told").hardware());
  }

  @Test
  void cardsAreComparedWithoutRegardToCaseAndOnesWithoutAddressNotAtAll() {
    Marks a = Marks.of(facts("vm-1", "52:54:00:AB:00:01", ""), "");
    assertTrue(a.shareCard(Marks.of(facts("vm-2", "52:54:00:ab:00:01"), "")));
    assertFalse(a.shareCard(Marks.of(facts("vm-2", "", "52:54:00:ab:00:02"), "")));
    assertEquals(List.of(a.hardware(), a.cards()), a.groups());
  }

  @Test
  void copiesDifferOnlyIfNeitherIdentityIsTheSame() {
    assertTrue(Marks.differ(guest("g1", "h1"), guest("g2", "h2")));
    assertTrue(Marks.differ(guest("g1", ""), guest("g2", "")));
    assertFalse(Marks.differ(guest("g1", "h1"), guest("g1", "h2")));
    // A guest that was given a new identity on the same hardware.
    assertFalse(Marks.differ(guest("g1", "h1"), guest("g2", "h1")));
    assertFalse(Marks.differ(guest("", "h1"), guest("g2", "h2")));
  }
}
