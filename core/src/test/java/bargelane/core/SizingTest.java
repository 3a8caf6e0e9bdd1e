package bargelane.core;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.assess.Sizing;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Size;
import bargelane.core.site.Inventory.Storage;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;

class SizingTest {

  static MachineFacts machine(int cpus, long memory, long... disks) {
    List<Inventory.Disk> all =
        java.util.Arrays.stream(disks).mapToObj(b -> new Inventory.Disk("d", b, "shelf")).toList();
    return new MachineFacts(
        "vm", "m", cpus, memory, "Debian", "bios", true, false, all, List.of(), List.of(), Map.of(),
        "", null, null);
  }

  private static Size size(String id, int cpus, long memory, String price) {
    return new Size(id, cpus, memory, new BigDecimal(price), "EUR");
  }

  @Test
  void theCheapestThatFitsIsChosenAndOfEqualPricesTheSmaller() {
    List<Size> offered =
        List.of(
            size("big", 8, 32768, "0.20"),
            size("small", 2, 4096, "0.05"),
            size("fits", 4, 16384, "0.11"),
            size("same", 4, 20000, "0.11"));
    assertEquals("fits", Sizing.cheapest(machine(3, 10000), offered).orElseThrow().id());
    assertEquals(Optional.empty(), Sizing.cheapest(machine(16, 1), offered));
  }

  @Test
  void askingForMoreNeverCostsLess() {
    Random random = new Random(2);
    for (int round = 0; round < 500; round++) {
      List<Size> offered = new java.util.ArrayList<>();
      for (int i = 0; i < 12; i++) {
        offered.add(
            size(
                "s" + i,
                1 + random.nextInt(16),
                1024L * (1 + random.nextInt(64)),
                "0." + (100 + random.nextInt(899))));
      }
      int cpus = 1 + random.nextInt(12);
      long memory = 1024L * (1 + random.nextInt(48));
      Optional<Size> less = Sizing.cheapest(machine(cpus, memory), offered);
      Optional<Size> more =
          Sizing.cheapest(
              machine(cpus + random.nextInt(4), memory + 1024L * random.nextInt(16)), offered);
      if (more.isPresent()) {
        assertTrue(less.orElseThrow().pricePerHour().compareTo(more.get().pricePerHour()) <= 0);
      }
    }
  }

  @Test
  void theMonthIsComputedByHand() {
    // 0.110 × 730.5 h = 80.355, to the cent 80.36; 10 GiB × 0.096 = 0.96; together 81.32.
    Storage reed = new Storage("reed", "Reed", "ssd", new BigDecimal("0.096"), "EUR");
    Sizing.Choice c =
        Sizing.cost(
            "configured",
            machine(4, 16384, 10L << 30),
            size("wherry-4", 4, 16384, "0.110"),
            List.of(reed));
    assertEquals(new BigDecimal("80.36"), c.computeMonthly());
    assertEquals(new BigDecimal("0.96"), c.disks().get(0).monthly());
    assertEquals(new BigDecimal("81.32"), c.monthly());
  }

  @Test
  void aDiskGoesToTheCheapestClassOfItsMedium() {
    Storage dear = new Storage("dear", "", "ssd", new BigDecimal("0.2"), "EUR");
    Storage fair = new Storage("fair", "", "ssd", new BigDecimal("0.1"), "EUR");
    Storage slow = new Storage("slow", "", "disk", new BigDecimal("0.01"), "EUR");
    assertEquals(
        fair, Sizing.storageFor(Optional.of(dear), List.of(dear, fair, slow)).orElseThrow());
    assertEquals(
        slow, Sizing.storageFor(Optional.empty(), List.of(dear, fair, slow)).orElseThrow());
  }
}
