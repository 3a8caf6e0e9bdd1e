package bargelane.core.usage;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.Map;

/**
 * What a machine asked for over a window of whole days of UTC, gathered from the digests of its
 * days: a table of values by how often they came up, so that any percentile is a walk along it.
 * Values are those of {@link UsageDigest}: never below what was measured, at most 1/128 above.
 */
public final class LoadProfile {

  private final LocalDate from;
  private final int days;
  private final boolean[] held;
  private final Table[] tables = new Table[Load.values().length];
  private final float[][] hourly;

  /** Codes of values, from the lowest on, and how many samples have at most each. */
  private record Table(int[] codes, int[] upTo) {}

  /**
   * @param from first day
   * @param days how many
   * @param digests packed digests by day; those outside the window don't count
   */
  public LoadProfile(LocalDate from, int days, Map<LocalDate, byte[]> digests) {
    if (days < 1 || days > 4000) {
      throw new IllegalArgumentException(days + " days are no window");
    }
    this.from = from;
    this.days = days;
    this.held = new boolean[days * UsageDay.SLOTS];
    this.hourly = new float[tables.length][days * UsageDigest.HOURS];
    UsageDigest.Reader[] readers = new UsageDigest.Reader[days];
    digests.forEach(
        (date, packed) -> {
          long at = date.toEpochDay() - from.toEpochDay();
          if (at >= 0 && at < days) {
            readers[(int) at] = new UsageDigest.Reader(packed);
          }
        });
    for (int day = 0; day < days; day++) {
      for (int slot = 0; readers[day] != null && slot < UsageDay.SLOTS; slot++) {
        held[day * UsageDay.SLOTS + slot] = readers[day].held(slot);
      }
    }
    for (int load = 0; load < tables.length; load++) {
      Arrays.fill(hourly[load], Float.NaN);
      tables[load] = table(readers, hourly[load]);
    }
  }

  private static Table table(UsageDigest.Reader[] readers, float[] hourly) {
    int[] codes = new int[readers.length * UsageDay.SLOTS];
    int[] times = new int[codes.length];
    int n = 0;
    int lowest = Integer.MAX_VALUE;
    int highest = -1;
    for (int day = 0; day < readers.length; day++) {
      UsageDigest.Reader reader = readers[day];
      if (reader == null) {
        continue;
      }
      for (int hour = 0; hour < UsageDigest.HOURS; hour++) {
        int code = reader.two();
        if (code != UsageDigest.NONE) {
          hourly[day * UsageDigest.HOURS + hour] = UsageDigest.value(code);
        }
      }
      int different = reader.two();
      int code = 0;
      for (int i = 0; i < different; i++) {
        code += reader.number();
        codes[n] = code;
        times[n++] = reader.number();
        lowest = Math.min(lowest, code);
        highest = Math.max(highest, code);
      }
    }
    if (n == 0) {
      return new Table(new int[0], new int[0]);
    }
    int[] counts = new int[highest - lowest + 1];
    int different = 0;
    for (int i = 0; i < n; i++) {
      different += counts[codes[i] - lowest] == 0 ? 1 : 0;
      counts[codes[i] - lowest] += times[i];
    }
    Table table = new Table(new int[different], new int[different]);
    int sum = 0;
    int at = 0;
    for (int i = 0; i < counts.length; i++) {
      if (counts[i] > 0) {
        sum += counts[i];
        table.codes[at] = lowest + i;
        table.upTo[at++] = sum;
      }
    }
    return table;
  }

  public LocalDate from() {
    return from;
  }

  /** The first day that is not inside. */
  public LocalDate until() {
    return from.plusDays(days);
  }

  public Coverage coverage() {
    return Coverage.of(UsageSeries.start(from), held);
  }

  /** How many samples of a load there are. */
  public int samples(Load load) {
    int[] upTo = tables[load.ordinal()].upTo;
    return upTo.length == 0 ? 0 : upTo[upTo.length - 1];
  }

  /**
   * The smallest value that at least a share of the samples does not exceed (nearest rank).
   *
   * @param percentile above 0, up to 100
   * @throws IllegalStateException if there are no samples of it
   */
  public double percentile(Load load, double percentile) {
    if (!(percentile > 0 && percentile <= 100)) {
      throw new IllegalArgumentException("percentiles lie above 0 and up to 100: " + percentile);
    }
    Table table = tables[load.ordinal()];
    int n = samples(load);
    if (n == 0) {
      throw new IllegalStateException("there are no samples of " + load);
    }
    int rank = Math.max(1, (int) Math.ceil(percentile / 100 * n));
    int at = Arrays.binarySearch(table.upTo, rank);
    return UsageDigest.value(table.codes[at < 0 ? -at - 1 : at]);
  }

  public double maximum(Load load) {
    return percentile(load, 100);
  }

  /** How long a load was above a limit; what may have been above it, for rounding, counts. */
  public Duration above(Load load, double limit) {
    Table table = tables[load.ordinal()];
    int n = samples(load);
    int low = 0;
    int high = table.codes.length;
    while (low < high) {
      int middle = (low + high) >>> 1;
      if (UsageDigest.value(table.codes[middle]) > limit) {
        high = middle;
      } else {
        low = middle + 1;
      }
    }
    int within = low == 0 ? 0 : table.upTo[low - 1];
    return Duration.ofSeconds((long) (n - within) * UsageDay.SLOT_SECONDS);
  }

  /** The busiest stretch of so many hours, and its mean. */
  public record Stretch(Instant from, double mean) {}

  /**
   * The highest mean of so many hours on end that all have samples; 0 from the window's beginning
   * if there are none.
   */
  public Stretch busiest(Load load, int hours) {
    float[] all = hourly[load.ordinal()];
    double highest = 0;
    int highestAt = 0;
    double sum = 0;
    int n = 0;
    for (int hour = 0; hour < all.length; hour++) {
      if (Float.isNaN(all[hour])) {
        n = 0;
        sum = 0;
        continue;
      }
      sum += all[hour];
      n++;
      if (n > hours) {
        sum -= all[hour - hours];
        n = hours;
      }
      if (n == hours && sum / hours > highest) {
        highest = sum / hours;
        highestAt = hour - hours + 1;
      }
    }
    return new Stretch(UsageSeries.start(from).plusSeconds(3600L * highestAt), highest);
  }
}
