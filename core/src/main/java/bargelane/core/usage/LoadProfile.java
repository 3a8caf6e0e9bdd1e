package bargelane.core.usage;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.util.Arrays;

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
   * @param digests packed digests of the days from the first on; null where nothing was measured
   */
  public LoadProfile(LocalDate from, byte[][] digests) {
    int days = digests.length;
    if (days < 1 || days > 4000) {
      throw new IllegalArgumentException(days + " days are no window");
    }
    this.from = from;
    this.days = days;
    this.held = new boolean[days * UsageDay.SLOTS];
    this.hourly = new float[tables.length][days * UsageDigest.HOURS];
    UsageDigest.Reader[] readers = new UsageDigest.Reader[days];
    for (int day = 0; day < days; day++) {
      if (digests[day] != null) {
        readers[day] = new UsageDigest.Reader(digests[day]);
        readers[day].held(held, day * UsageDay.SLOTS);
      }
    }
    int[] counts = new int[UsageDigest.CODES];
    for (int load = 0; load < tables.length; load++) {
      Arrays.fill(hourly[load], Float.NaN);
      tables[load] = table(readers, hourly[load], counts);
    }
  }

  /**
   * Gathers a load's values.
   *
   * @param counts where they are counted; all 0, and so again afterwards
   */
  private static Table table(UsageDigest.Reader[] readers, float[] hourly, int[] counts) {
    int lowest = counts.length;
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
      UsageDigest.Reader.Range range = reader.bins(counts);
      lowest = Math.min(lowest, range.lowest());
      highest = Math.max(highest, range.highest());
    }
    int different = 0;
    for (int code = lowest; code <= highest; code++) {
      different += counts[code] == 0 ? 0 : 1;
    }
    Table table = new Table(new int[different], new int[different]);
    int sum = 0;
    int at = 0;
    for (int code = lowest; code <= highest; code++) {
      if (counts[code] > 0) {
        sum += counts[code];
        table.codes[at] = code;
        table.upTo[at++] = sum;
        counts[code] = 0;
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
