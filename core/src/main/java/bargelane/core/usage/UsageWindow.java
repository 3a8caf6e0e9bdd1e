package bargelane.core.usage;

import static org.apache.datasketches.quantilescommon.QuantileSearchCriteria.INCLUSIVE;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.YearMonth;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.datasketches.req.ReqSketch;

/**
 * One machine's use over a window of time, to be asked for its figures. Months that are folded
 * count as a whole: the window is widened to the whole of each that it touches.
 */
public final class UsageWindow {

  /**
   * Figures of one metric.
   *
   * @param percentile the smallest sample that at least the asked share of samples does not exceed
   *     (nearest rank)
   * @param percentileBelow with {@code percentileAbove} where the true percentile lies at two
   *     standard deviations; both are the percentile itself where every sample is held
   * @param above how long samples were above the percentile
   * @param maximumAt where the highest sample's time begins; its hour in a folded month
   */
  public record Figures(
      int samples,
      double mean,
      double percentile,
      double percentileBelow,
      double percentileAbove,
      double maximum,
      Instant maximumAt,
      Duration above) {}

  /** Mean and highest of the samples of a stretch of time; NaN where it has none. */
  public record Bucket(Instant from, double mean, double maximum) {}

  private static final int SLOTS_AN_HOUR = 3600 / UsageDay.SLOT_SECONDS;
  private static final int DEVIATIONS = 2;

  private final Instant from;
  private final int slots;
  private final float[][] values;
  private final List<UsageMonth> months;

  /**
   * A window of whole slots: its ends are moved to the slots they lie in.
   *
   * @param days the days that are held, by date
   */
  public UsageWindow(Instant from, Instant to, Map<LocalDate, UsageDay> days) {
    this(from, to, days, List.of());
  }

  /**
   * A window of whole slots, some of it in folded months.
   *
   * @param days the days that are held, by date; those of folded months don't count
   * @param folded the folded months that the window touches
   */
  public UsageWindow(
      Instant from, Instant to, Map<LocalDate, UsageDay> days, List<UsageMonth> folded) {
    months = List.copyOf(folded);
    long first = Math.floorDiv(from.getEpochSecond(), UsageDay.SLOT_SECONDS);
    long end = -Math.floorDiv(-to.getEpochSecond(), UsageDay.SLOT_SECONDS);
    for (UsageMonth month : months) {
      first = Math.min(first, slot(month.from()));
      end = Math.max(end, slot(month.to()));
    }
    if (end <= first || end - first > 4000L * UsageDay.SLOTS) {
      throw new IllegalArgumentException(
          "the window from " + from + " to " + to + " is not a window");
    }
    this.from = Instant.ofEpochSecond(first * UsageDay.SLOT_SECONDS);
    this.slots = (int) (end - first);
    this.values = new float[Metric.values().length][slots];
    for (float[] metric : values) {
      Arrays.fill(metric, Float.NaN);
    }
    Set<YearMonth> whole = months.stream().map(UsageMonth::month).collect(Collectors.toSet());
    for (Map.Entry<LocalDate, UsageDay> day : days.entrySet()) {
      if (whole.contains(YearMonth.from(day.getKey()))) {
        continue;
      }
      long start = day.getKey().toEpochDay() * UsageDay.SLOTS - first;
      for (int i = 0; i < UsageDay.SLOTS; i++) {
        long at = start + i;
        if (at >= 0 && at < slots) {
          for (Metric metric : Metric.values()) {
            values[metric.ordinal()][(int) at] = day.getValue().get(metric, i);
          }
        }
      }
    }
  }

  public Coverage coverage() {
    boolean[] held = new boolean[slots];
    for (float[] metric : values) {
      for (int i = 0; i < slots; i++) {
        held[i] |= !Float.isNaN(metric[i]);
      }
    }
    for (UsageMonth month : months) {
      int start = start(month);
      for (int i = 0; i < month.slots(); i++) {
        held[start + i] |= month.held(i);
      }
    }
    return Coverage.of(from, held);
  }

  private static long slot(Instant at) {
    return Math.floorDiv(at.getEpochSecond(), UsageDay.SLOT_SECONDS);
  }

  private int start(UsageMonth month) {
    return (int) (slot(month.from()) - slot(from));
  }

  /** Whether figures rest on folded months in part. */
  public boolean folded() {
    return !months.isEmpty();
  }

  /**
   * Figures of a metric at a percentile; none if nothing of it was measured.
   *
   * @param percentile above 0, up to 100
   */
  public Optional<Figures> figures(Metric metric, double percentile) {
    if (!(percentile > 0 && percentile <= 100)) {
      throw new IllegalArgumentException("percentiles lie above 0 and up to 100: " + percentile);
    }
    if (folded()) {
      return sketched(metric, percentile);
    }
    float[] all = values[metric.ordinal()];
    float[] sorted = new float[slots];
    int n = 0;
    double sum = 0;
    int highest = -1;
    for (int i = 0; i < slots; i++) {
      if (!Float.isNaN(all[i])) {
        sorted[n++] = all[i];
        sum += all[i];
        highest = highest < 0 || all[i] > all[highest] ? i : highest;
      }
    }
    if (n == 0) {
      return Optional.empty();
    }
    Arrays.sort(sorted, 0, n);
    float at = sorted[Math.max(0, (int) Math.ceil(percentile / 100 * n) - 1)];
    int above = 0;
    for (int i = n - 1; i >= 0 && sorted[i] > at; i--) {
      above++;
    }
    return Optional.of(
        new Figures(
            n,
            sum / n,
            at,
            at,
            at,
            all[highest],
            start(highest),
            Duration.ofSeconds((long) above * UsageDay.SLOT_SECONDS)));
  }

  /** Figures from the sketches of folded months, and the samples of the others. */
  private Optional<Figures> sketched(Metric metric, double percentile) {
    ReqSketch all = UsageMonth.sketch();
    double sum = 0;
    double highest = -1;
    Instant highestAt = from;
    for (UsageMonth month : months) {
      all.merge(month.sketch(metric));
      sum += month.sum(metric);
      for (int hour = 0; hour < month.slots() / SLOTS_AN_HOUR; hour++) {
        if (month.highest(metric, hour) > highest) {
          highest = month.highest(metric, hour);
          highestAt = month.from().plusSeconds(3600L * hour);
        }
      }
    }
    float[] exact = values[metric.ordinal()];
    for (int i = 0; i < slots; i++) {
      if (!Float.isNaN(exact[i])) {
        all.update(exact[i]);
        sum += exact[i];
        if (exact[i] > highest) {
          highest = exact[i];
          highestAt = start(i);
        }
      }
    }
    if (all.isEmpty()) {
      return Optional.empty();
    }
    double rank = percentile / 100;
    float at = all.getQuantile(rank, INCLUSIVE);
    long above = Math.round((1 - all.getRank(at, INCLUSIVE)) * all.getN());
    return Optional.of(
        new Figures(
            (int) all.getN(),
            sum / all.getN(),
            at,
            all.getQuantile(all.getRankLowerBound(rank, DEVIATIONS), INCLUSIVE),
            all.getQuantile(Math.min(1, all.getRankUpperBound(rank, DEVIATIONS)), INCLUSIVE),
            highest,
            highestAt,
            Duration.ofSeconds(above * UsageDay.SLOT_SECONDS)));
  }

  /** How long a metric was above a limit. */
  public Duration above(Metric metric, double limit) {
    long above = 0;
    for (UsageMonth month : months) {
      ReqSketch sketch = month.sketch(metric);
      if (!sketch.isEmpty()) {
        above += Math.round((1 - sketch.getRank((float) limit, INCLUSIVE)) * sketch.getN());
      }
    }
    for (float value : values[metric.ordinal()]) {
      if (value > limit) {
        above++;
      }
    }
    return Duration.ofSeconds(above * UsageDay.SLOT_SECONDS);
  }

  /**
   * The course of a metric in at most so many stretches of equal length. Of folded months the
   * highest of each hour is known, no mean.
   */
  public List<Bucket> course(Metric metric, int most) {
    int per = Math.max(1, -Math.floorDiv(-slots, most));
    float[] all = values[metric.ordinal()];
    float[] known = months.isEmpty() ? all : withMaxima(metric);
    List<Bucket> course = new ArrayList<>();
    for (int i = 0; i < slots; i += per) {
      double sum = 0;
      double highest = Double.NaN;
      int n = 0;
      for (int k = i; k < Math.min(slots, i + per); k++) {
        if (!Float.isNaN(all[k])) {
          sum += all[k];
          n++;
        }
        if (!Float.isNaN(known[k])) {
          highest = Double.isNaN(highest) ? known[k] : Math.max(highest, known[k]);
        }
      }
      course.add(new Bucket(start(i), n == 0 ? Double.NaN : sum / n, highest));
    }
    return course;
  }

  /** The samples, and in folded months each hour's highest at its first slot that is held. */
  private float[] withMaxima(Metric metric) {
    float[] known = values[metric.ordinal()].clone();
    for (UsageMonth month : months) {
      int start = start(month);
      for (int hour = 0; hour < month.slots() / SLOTS_AN_HOUR; hour++) {
        known[start + hour * SLOTS_AN_HOUR] = month.highest(metric, hour);
      }
    }
    return known;
  }

  private Instant start(int slot) {
    return from.plusSeconds((long) slot * UsageDay.SLOT_SECONDS);
  }
}
