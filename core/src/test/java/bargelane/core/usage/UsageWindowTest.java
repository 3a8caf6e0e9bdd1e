package bargelane.core.usage;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.site.Inventory.Usage;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.YearMonth;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.Random;
import java.util.SortedMap;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;

class UsageWindowTest {

  private static final LocalDate DAY = LocalDate.of(2026, 10, 31);
  private static final Instant START = UsageSeries.start(DAY);

  private static UsageDay filled(double value) {
    UsageDay day = new UsageDay();
    for (int i = 0; i < UsageDay.SLOTS; i++) {
      day.set(Metric.CPU, i, value);
    }
    return day;
  }

  private static UsageSeries series(Instant first, int step, double... cpu) {
    float[] values = new float[cpu.length * Metric.values().length];
    Arrays.fill(values, Float.NaN);
    for (int i = 0; i < cpu.length; i++) {
      values[i * Metric.values().length] = (float) cpu[i];
    }
    return new UsageSeries("vm-1", first, step, values);
  }

  @Test
  void thePercentileIsTheSmallestSampleThatEnoughSamplesDoNotExceed() {
    // Ten samples 1 to 10: by nearest rank P50 is the 5th, P95 the 10th, P10 the first.
    UsageDay day = new UsageDay();
    for (int i = 0; i < 10; i++) {
      day.set(Metric.CPU, 9 - i, i + 1);
    }
    UsageWindow window = new UsageWindow(START, START.plus(Duration.ofHours(1)), Map.of(DAY, day));
    assertEquals(5, window.figures(Metric.CPU, 50).orElseThrow().percentile());
    assertEquals(10, window.figures(Metric.CPU, 95).orElseThrow().percentile());
    assertEquals(1, window.figures(Metric.CPU, 10).orElseThrow().percentile());
    assertEquals(1, window.figures(Metric.CPU, 0.001).orElseThrow().percentile());
    UsageWindow.Figures all = window.figures(Metric.CPU, 50).orElseThrow();
    assertEquals(5.5, all.mean());
    assertEquals(10, all.maximum());
    assertEquals(START, all.maximumAt());
    assertEquals(Duration.ofMinutes(25), all.above());
    assertEquals(Duration.ofMinutes(10), window.above(Metric.CPU, 8));
    assertEquals(Optional.empty(), window.figures(Metric.MEMORY, 95));
    assertThrows(IllegalArgumentException.class, () -> window.figures(Metric.CPU, 0));
    assertThrows(IllegalArgumentException.class, () -> new UsageWindow(START, START, Map.of()));
  }

  @Test
  void anyPercentileHoldsItsDefinitionForRandomSamples() {
    Random random = new Random(7);
    for (int round = 0; round < 200; round++) {
      UsageDay day = new UsageDay();
      int n = 1 + random.nextInt(UsageDay.SLOTS);
      for (int i = 0; i < n; i++) {
        day.set(Metric.WRITES, i, random.nextInt(40));
      }
      double p = Math.max(0.1, random.nextDouble() * 100);
      double at =
          new UsageWindow(START, START.plus(Duration.ofDays(1)), Map.of(DAY, day))
              .figures(Metric.WRITES, p)
              .orElseThrow()
              .percentile();
      int notAbove = 0;
      int below = 0;
      for (int i = 0; i < n; i++) {
        notAbove += day.get(Metric.WRITES, i) <= at ? 1 : 0;
        below += day.get(Metric.WRITES, i) < at ? 1 : 0;
      }
      assertTrue(notAbove >= p / 100 * n && below < p / 100 * n, "P" + p + " of " + n);
    }
  }

  @Test
  void coverageTellsGapsAndWhetherAMonthsTurnIsInside() {
    SortedMap<LocalDate, UsageDay> days = new TreeMap<>();
    for (int i = -8; i <= 2; i++) {
      days.put(DAY.plusDays(i), filled(1));
    }
    UsageDay holed = new UsageDay();
    for (int i = 0; i < UsageDay.SLOTS; i++) {
      if (i < 24 || i >= 36) {
        holed.set(Metric.CPU, i, 1);
      }
    }
    days.put(DAY.minusDays(3), holed);
    Coverage whole =
        new UsageWindow(
                UsageSeries.start(DAY.minusDays(8)), UsageSeries.start(DAY.plusDays(3)), days)
            .coverage();
    assertEquals(11 * 288, whole.expected());
    assertEquals(11 * 288 - 12, whole.held());
    assertEquals(
        List.of(
            new Coverage.Gap(
                UsageSeries.start(DAY.minusDays(3)).plus(Duration.ofHours(2)),
                UsageSeries.start(DAY.minusDays(3)).plus(Duration.ofHours(3)))),
        whole.gaps());
    assertTrue(whole.monthsTurn());
    assertFalse(whole.quartersTurn(), "November begins no quarter");
    assertEquals(List.of("the window holds no quarter end"), whole.warnings());

    // The night itself is missing: the turn is not held, though the window spans it.
    days.put(DAY.plusDays(1), new UsageDay());
    assertFalse(
        new UsageWindow(
                UsageSeries.start(DAY.minusDays(8)), UsageSeries.start(DAY.plusDays(3)), days)
            .coverage()
            .monthsTurn());

    Coverage brief =
        new UsageWindow(START, START.plus(Duration.ofDays(1)), Map.of(DAY, filled(1))).coverage();
    assertTrue(brief.warnings().get(0).contains("too short"), brief.warnings().toString());
    assertEquals(
        List.of("nothing was measured in this window"),
        new UsageWindow(START, START.plus(Duration.ofDays(30)), Map.of()).coverage().warnings());
  }

  @Test
  void samplesOfAMinuteBecomeTheMeanOfTheirFiveMinutesAndDaysAreSplitAtMidnight() {
    UsageSeries minutes =
        series(
            START.plus(Duration.ofHours(23)).plus(Duration.ofMinutes(53)),
            60,
            4,
            6,
            1,
            2,
            3,
            4,
            Double.NaN,
            7);
    SortedMap<LocalDate, UsageDay> days = minutes.days();
    assertEquals(List.of(DAY, DAY.plusDays(1)), List.copyOf(days.keySet()));
    assertEquals(5, days.get(DAY).get(Metric.CPU, 286));
    assertEquals(2.5, days.get(DAY).get(Metric.CPU, 287));
    assertEquals(7, days.get(DAY.plusDays(1)).get(Metric.CPU, 0));
    assertFalse(days.get(DAY).held(285));
    assertThrows(IllegalArgumentException.class, () -> series(START, 70, 1));
    assertThrows(
        IllegalArgumentException.class, () -> new UsageSeries("x", START, 300, new float[3]));
  }

  @Test
  void aDayKeepsWhatItHeldThroughPackingAndWhereNothingNewerIsKnown() {
    UsageDay day = new UsageDay();
    day.set(Metric.SENT_BYTES, 287, 1.5e9);
    day.set(Metric.CPU, 0, 0.25);
    day.set(Metric.CPU, 1, -1);
    day.set(Metric.CPU, 2, Double.POSITIVE_INFINITY);
    byte[] packed = day.pack();
    assertEquals(9216, packed.length);
    UsageDay again = UsageDay.unpack(packed);
    assertArrayEquals(packed, again.pack());
    assertTrue(again.held(0) && again.held(287) && !again.held(1) && !again.held(2));
    UsageDay newer = new UsageDay();
    newer.set(Metric.CPU, 1, 3);
    again.overlay(newer);
    assertEquals(0.25f, again.get(Metric.CPU, 0));
    assertEquals(3f, again.get(Metric.CPU, 1));
    assertThrows(IllegalArgumentException.class, () -> UsageDay.unpack(new byte[9]));
  }

  private static Usage counters(Instant at, double cpu, long written) {
    return new Usage(
        at,
        OptionalDouble.of(cpu),
        OptionalLong.of(512),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.of(written),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.empty());
  }

  @Test
  void countersThatWentBackOrWereLeftTooLongTellNothing() {
    Usage former = counters(START, 10, 1000);
    CounterStep step =
        CounterStep.between(former, counters(START.plusSeconds(300), 160, 4000)).orElseThrow();
    assertEquals(0.5f, step.values()[Metric.CPU.ordinal()]);
    assertEquals(10f, step.values()[Metric.WRITTEN_BYTES.ordinal()]);
    assertEquals(512f, step.values()[Metric.MEMORY.ordinal()]);
    assertTrue(Float.isNaN(step.values()[Metric.READS.ordinal()]));
    assertEquals(START, step.slot());
    assertEquals(
        Optional.empty(), CounterStep.between(former, counters(START.plusSeconds(300), 1, 4000)));
    assertEquals(
        Optional.empty(), CounterStep.between(former, counters(START.plusSeconds(601), 20, 4000)));
    assertEquals(Optional.empty(), CounterStep.between(former, former));
  }

  @Test
  void theCourseKeepsEveryPeak() {
    UsageDay day = filled(1);
    day.set(Metric.CPU, 100, 9);
    List<UsageWindow.Bucket> course =
        new UsageWindow(START, START.plus(Duration.ofDays(1)), Map.of(DAY, day))
            .course(Metric.CPU, 24);
    assertEquals(24, course.size());
    assertEquals(9, course.get(8).maximum());
    assertEquals((11.0 + 9) / 12, course.get(8).mean(), 1e-9);
    assertEquals(START.plus(Duration.ofHours(8)), course.get(8).from());
  }

  private static SortedMap<LocalDate, UsageDay> random(LocalDate from, int days, long seed) {
    Random random = new Random(seed);
    SortedMap<LocalDate, UsageDay> all = new TreeMap<>();
    for (int d = 0; d < days; d++) {
      UsageDay day = new UsageDay();
      for (int i = 0; i < UsageDay.SLOTS; i++) {
        if (random.nextInt(20) > 0) {
          day.set(Metric.CPU, i, Math.exp(random.nextGaussian()));
        }
      }
      all.put(from.plusDays(d), day);
    }
    return all;
  }

  private static UsageMonth folded(YearMonth month, SortedMap<LocalDate, UsageDay> days) {
    UsageMonth m = new UsageMonth(month);
    m.fold(days.subMap(month.atDay(1), month.plusMonths(1).atDay(1)));
    return UsageMonth.unpack(month, m.pack());
  }

  @Test
  void foldedMonthsTellNearlyTheSameAndSayHowNearly() {
    LocalDate june = LocalDate.of(2026, 6, 1);
    SortedMap<LocalDate, UsageDay> days = random(june, 61 + 20, 3);
    Instant from = UsageSeries.start(june);
    Instant to = UsageSeries.start(june.plusDays(81));
    UsageWindow exact = new UsageWindow(from, to, days);
    UsageWindow folded =
        new UsageWindow(
            from,
            to,
            days.tailMap(LocalDate.of(2026, 8, 1)),
            List.of(folded(YearMonth.of(2026, 6), days), folded(YearMonth.of(2026, 7), days)));
    assertTrue(folded.folded() && !exact.folded());
    assertEquals(exact.coverage(), folded.coverage(), "what is held is known slot by slot");
    for (double p : new double[] {50, 90, 95, 99, 99.9, 100}) {
      UsageWindow.Figures a = exact.figures(Metric.CPU, p).orElseThrow();
      UsageWindow.Figures b = folded.figures(Metric.CPU, p).orElseThrow();
      assertEquals(a.samples(), b.samples());
      assertEquals(a.mean(), b.mean(), 1e-6);
      assertEquals(a.maximum(), b.maximum());
      // Sketches toss coins: two standard deviations are told, six never happen.
      double sure = b.percentileAbove() - b.percentileBelow();
      assertTrue(
          b.percentileBelow() - sure <= a.percentile()
              && a.percentile() <= b.percentileAbove() + sure,
          "P" + p + ": " + a.percentile() + " of " + b);
      assertTrue(b.percentileAbove() - b.percentileBelow() < 0.1 * a.percentile(), "P" + p + b);
      assertEquals(a.above().toHours(), b.above().toHours(), 100 * (1 - p / 100) + 1);
    }
    assertEquals(exact.above(Metric.CPU, 2).toHours(), folded.above(Metric.CPU, 2).toHours(), 40);
    assertTrue(folded.figures(Metric.READS, 95).isEmpty());
  }

  @Test
  void aWindowIsWidenedToTheWholeOfAFoldedMonth() {
    LocalDate june = LocalDate.of(2026, 6, 1);
    SortedMap<LocalDate, UsageDay> days = random(june, 40, 4);
    UsageWindow window =
        new UsageWindow(
            UsageSeries.start(june.plusDays(12)),
            UsageSeries.start(june.plusDays(40)),
            days.tailMap(LocalDate.of(2026, 7, 1)),
            List.of(folded(YearMonth.of(2026, 6), days)));
    assertEquals(UsageSeries.start(june), window.coverage().from());
    List<UsageWindow.Bucket> course = window.course(Metric.CPU, 40);
    assertTrue(Double.isNaN(course.get(0).mean()) && course.get(0).maximum() > 0);
    assertFalse(Double.isNaN(course.get(39).mean()));
  }

  @Test
  void whatIsFoldedTwiceCountsOnce() {
    YearMonth month = YearMonth.of(2026, 6);
    SortedMap<LocalDate, UsageDay> days = random(month.atDay(1), 30, 5);
    UsageMonth m = folded(month, days);
    byte[] once = m.pack();
    m.fold(days);
    assertArrayEquals(once, m.pack());
    assertTrue(once.length < 60_000, once.length + " bytes");
    assertThrows(
        IllegalArgumentException.class, () -> m.fold(random(LocalDate.of(2026, 7, 1), 1, 1)));
    assertThrows(
        IllegalArgumentException.class, () -> UsageMonth.unpack(month, new byte[] {9, 0, 0, 0, 0}));
  }
}
