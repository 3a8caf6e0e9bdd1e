package bargelane.core.usage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Duration;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.SortedMap;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;

class LoadProfileTest {

  private static final LocalDate FIRST = LocalDate.of(2026, 10, 28);

  private static UsageDay day(double cpu) {
    UsageDay day = new UsageDay();
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      day.set(Metric.CPU, slot, cpu);
    }
    return day;
  }

  private static LoadProfile profile(LocalDate from, int days, Map<LocalDate, UsageDay> held) {
    byte[][] digests = new byte[days][];
    held.forEach(
        (date, d) -> {
          long at = date.toEpochDay() - from.toEpochDay();
          if (at >= 0 && at < days) {
            digests[(int) at] = UsageDigest.pack(d);
          }
        });
    return new LoadProfile(from, digests);
  }

  @Test
  void percentilesAreNeverBelowTheExactOnesAndAtMostTheRoundingAbove() {
    Random random = new Random(5);
    for (int round = 0; round < 20; round++) {
      SortedMap<LocalDate, UsageDay> days = new TreeMap<>();
      for (int d = 0; d < 30; d++) {
        UsageDay day = new UsageDay();
        for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
          if (random.nextInt(10) > 0) {
            day.set(Metric.CPU, slot, Math.exp(random.nextGaussian()) * (1 + round));
            day.set(Metric.READS, slot, random.nextInt(3) * 100);
            day.set(Metric.WRITES, slot, random.nextInt(1000));
          }
        }
        days.put(FIRST.plusDays(d), day);
      }
      LoadProfile profile = profile(FIRST, 30, days);
      UsageWindow exact =
          new UsageWindow(
              UsageSeries.start(FIRST), UsageSeries.start(FIRST.plusDays(30)), days, List.of());
      for (double p : new double[] {0.01, 1, 50, 90, 95, 99, 99.9, 100}) {
        UsageWindow.Figures figures = exact.figures(Metric.CPU, p).orElseThrow();
        double told = profile.percentile(Load.CPU, p);
        assertTrue(
            told >= figures.percentile()
                && told <= figures.percentile() * (1 + UsageDigest.ROUNDING),
            told + " for " + figures.percentile());
        assertEquals(figures.samples(), profile.samples(Load.CPU));
        assertTrue(
            profile
                    .above(Load.CPU, figures.percentile())
                    .compareTo(exact.above(Metric.CPU, figures.percentile()))
                >= 0);
      }
      assertEquals(exact.coverage(), profile.coverage());
      assertEquals(1199, profile.maximum(Load.OPERATIONS), 1199 * UsageDigest.ROUNDING + 60);
    }
  }

  @Test
  void aNightsWorkShowsInTheBusiestHoursThoughNotInThePercentile() {
    Map<LocalDate, UsageDay> days = new TreeMap<>();
    for (int d = 0; d < 30; d++) {
      days.put(FIRST.plusDays(d), day(0.125));
    }
    UsageDay night = day(0.125);
    for (int slot = 240; slot < 288; slot++) {
      night.set(Metric.CPU, slot, 4);
    }
    days.put(FIRST.plusDays(3), night);
    LoadProfile with = profile(FIRST, 30, days);
    assertEquals(0.125, with.percentile(Load.CPU, 95));
    assertEquals(4, with.busiest(Load.CPU, 4).mean());
    assertEquals(
        UsageSeries.start(FIRST.plusDays(3)).plus(Duration.ofHours(20)),
        with.busiest(Load.CPU, 4).from());
    assertEquals(Duration.ofHours(4), with.above(Load.CPU, 2));
    assertEquals((4 * 4 + 4 * 0.125) / 8, with.busiest(Load.CPU, 8).mean());
    LoadProfile without = profile(FIRST.plusDays(4), 26, days);
    assertEquals(0.125, without.busiest(Load.CPU, 4).mean());
    assertEquals(Duration.ZERO, without.above(Load.CPU, 2));
  }

  @Test
  void hoursWithoutSamplesEndAStretch() {
    UsageDay day = day(1);
    UsageDay gap = new UsageDay();
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      if (slot / 12 % 3 != 0) {
        gap.set(Metric.CPU, slot, 8);
      }
    }
    LoadProfile profile =
        profile(FIRST, 3, Map.of(FIRST, gap, FIRST.plusDays(1), day, FIRST.plusDays(5), day(9)));
    assertEquals(8, profile.busiest(Load.CPU, 2).mean());
    assertEquals((8 + 8 + 1) / 3.0, profile.busiest(Load.CPU, 3).mean(), 1e-6);
    assertEquals(0, profile.busiest(Load.MEMORY, 3).mean());
    assertEquals(0, profile.samples(Load.MEMORY));
    assertThrows(IllegalStateException.class, () -> profile.percentile(Load.MEMORY, 95));
    assertFalse(profile.coverage().warnings().isEmpty());
  }

  @Test
  void aDigestTakesAnEighthOfItsDayAndForeignBytesAreRefused() {
    UsageDay day = new UsageDay();
    Random random = new Random(1);
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      for (Metric m : Metric.values()) {
        day.set(m, slot, 1000 * (0.75 + 0.5 * random.nextDouble()));
      }
    }
    assertTrue(
        UsageDigest.pack(day).length < UsageDay.PACKED / 6, UsageDigest.pack(day).length + "");
    // All values different is the longest that there is.
    double value = 1e-30;
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      for (Metric m : Metric.values()) {
        day.set(m, slot, value);
      }
      value *= 1.5;
    }
    LoadProfile profile = profile(FIRST, 1, Map.of(FIRST, day));
    assertEquals(UsageDay.SLOTS, profile.samples(Load.NETWORK));
    assertThrows(
        IllegalArgumentException.class, () -> new LoadProfile(FIRST, new byte[][] {{9, 9}}));
  }
}
