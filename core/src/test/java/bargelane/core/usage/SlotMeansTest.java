package bargelane.core.usage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.site.Inventory.Usage;
import bargelane.core.usage.SlotMeans.Slot;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.Random;
import org.junit.jupiter.api.Test;

class SlotMeansTest {

  private static final Instant NOON = Instant.parse("2026-11-02T12:00:00Z");

  private static Usage at(double second, double cpu, long written) {
    return new Usage(
        NOON.plusMillis((long) (second * 1000)),
        OptionalDouble.of(cpu),
        OptionalLong.of(1000),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.of(written),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.empty());
  }

  @Test
  void looksOfAMinuteBecomeMeansOfFive() {
    List<Slot> told = new ArrayList<>();
    SlotMeans means = SlotMeans.NONE;
    for (int minute = 0; minute <= 11; minute++) {
      // One processor in the first five minutes, two afterwards.
      double cpu = Math.min(minute, 5) * 60 + Math.max(0, minute - 5) * 120;
      means = means.with(at(minute * 60, cpu, minute * 600L), told::add);
    }
    assertEquals(List.of(NOON, NOON.plusSeconds(300)), told.stream().map(Slot::from).toList());
    assertEquals(1, told.get(0).means()[Metric.CPU.ordinal()], 1e-6);
    assertEquals(2, told.get(1).means()[Metric.CPU.ordinal()], 1e-6);
    assertEquals(10, told.get(0).means()[Metric.WRITTEN_BYTES.ordinal()], 1e-6);
    assertTrue(Float.isNaN(told.get(0).means()[Metric.READS.ordinal()]), "never told");
  }

  @Test
  void aLookThatComesTwiceCountsOnce() {
    SlotMeans means = SlotMeans.NONE.with(at(0, 0, 0), x -> {}).with(at(60, 60, 0), x -> {});
    assertSame(means, means.with(at(60, 60, 0), x -> {}));
    assertSame(means, means.with(at(0, 0, 0), x -> {}));
  }

  @Test
  void ofASlotThatWasHardlyMeasuredNothingIsTold() {
    List<Slot> told = new ArrayList<>();
    // Gone for an hour, and counters begun anew meanwhile.
    SlotMeans.NONE
        .with(at(0, 0, 0), told::add)
        .with(at(60, 60, 0), told::add)
        .with(at(3660, 1, 0), told::add)
        .with(at(3720, 61, 0), told::add);
    assertEquals(1, told.size());
    assertTrue(Float.isNaN(told.get(0).means()[Metric.CPU.ordinal()]));
  }

  @Test
  void whatWasUsedIsNeitherLostNorMadeUp() {
    Random random = new Random(7);
    for (int run = 0; run < 200; run++) {
      double second = 0;
      double cpu = 0;
      List<Slot> told = new ArrayList<>();
      SlotMeans means = SlotMeans.NONE.with(at(0, 0, 0), told::add);
      double highest = 0;
      while (second < 3600) {
        double took = 30 + random.nextInt(60);
        double rate = random.nextDouble() * 4;
        highest = Math.max(highest, rate);
        second += took;
        cpu += took * rate;
        means = means.with(at(second, cpu, 0), told::add);
      }
      double sum = 0;
      for (Slot slot : told) {
        float mean = slot.means()[Metric.CPU.ordinal()];
        assertTrue(mean <= highest + 1e-3 && mean >= 0, mean + " of " + highest);
        sum += mean * UsageDay.SLOT_SECONDS;
      }
      // All but what lies in the slot that is not over, and what a step is off at a boundary.
      double untold = cpu - sum;
      assertTrue(
          untold > -4 * 90 * 2 && untold < 4 * (UsageDay.SLOT_SECONDS + 90), untold + " of " + cpu);
    }
  }
}
