package bargelane.core.usage;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** One machine's use over a window of time, to be asked for its figures. */
public final class UsageWindow {

  /**
   * Figures of one metric.
   *
   * @param percentile the smallest sample that at least the asked share of samples does not exceed
   *     (nearest rank)
   * @param above how long samples were above the percentile
   * @param maximumAt where the highest sample's time begins
   */
  public record Figures(
      int samples,
      double mean,
      double percentile,
      double maximum,
      Instant maximumAt,
      Duration above) {}

  /** Mean and highest of the samples of a stretch of time; NaN where it has none. */
  public record Bucket(Instant from, double mean, double maximum) {}

  private final Instant from;
  private final int slots;
  private final float[][] values;

  /**
   * A window of whole slots: its ends are moved to the slots they lie in.
   *
   * @param days the days that are held, by date
   */
  public UsageWindow(Instant from, Instant to, Map<LocalDate, UsageDay> days) {
    long first = Math.floorDiv(from.getEpochSecond(), UsageDay.SLOT_SECONDS);
    long end = -Math.floorDiv(-to.getEpochSecond(), UsageDay.SLOT_SECONDS);
    if (end <= first || end - first > 4000L * UsageDay.SLOTS) {
      throw new IllegalArgumentException("the window from " + from + " to " + to + " is no window");
    }
    this.from = Instant.ofEpochSecond(first * UsageDay.SLOT_SECONDS);
    this.slots = (int) (end - first);
    this.values = new float[Metric.values().length][slots];
    for (float[] metric : values) {
      Arrays.fill(metric, Float.NaN);
    }
    for (Map.Entry<LocalDate, UsageDay> day : days.entrySet()) {
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
    return Coverage.of(from, held);
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
            all[highest],
            start(highest),
            Duration.ofSeconds((long) above * UsageDay.SLOT_SECONDS)));
  }

  /** How long a metric was above a limit. */
  public Duration above(Metric metric, double limit) {
    long above = 0;
    for (float value : values[metric.ordinal()]) {
      if (value > limit) {
        above++;
      }
    }
    return Duration.ofSeconds(above * UsageDay.SLOT_SECONDS);
  }

  /** The course of a metric in at most so many stretches of equal length. */
  public List<Bucket> course(Metric metric, int most) {
    int per = Math.max(1, -Math.floorDiv(-slots, most));
    float[] all = values[metric.ordinal()];
    List<Bucket> course = new ArrayList<>();
    for (int i = 0; i < slots; i += per) {
      double sum = 0;
      double highest = Double.NaN;
      int n = 0;
      for (int k = i; k < Math.min(slots, i + per); k++) {
        if (!Float.isNaN(all[k])) {
          sum += all[k];
          highest = n == 0 ? all[k] : Math.max(highest, all[k]);
          n++;
        }
      }
      course.add(new Bucket(start(i), n == 0 ? Double.NaN : sum / n, highest));
    }
    return course;
  }

  private Instant start(int slot) {
    return from.plusSeconds((long) slot * UsageDay.SLOT_SECONDS);
  }
}
