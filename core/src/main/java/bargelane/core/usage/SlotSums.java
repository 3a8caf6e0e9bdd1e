package bargelane.core.usage;

/**
 * Samples of one machine's day in any order, each shorter than a slot, made into means of slots. 20
 * KiB in memory.
 */
public final class SlotSums {

  private static final int METRICS = Metric.values().length;

  private final double[] sums = new double[METRICS * UsageDay.SLOTS];
  private final int[] counts = new int[METRICS * UsageDay.SLOTS];

  /**
   * Adds a sample.
   *
   * @param second of the day, 0 to 86,399
   * @param values in the order of {@link Metric}, in its units; NaN is no value
   */
  public void add(int second, float[] values) {
    int slot = second / UsageDay.SLOT_SECONDS;
    for (int i = 0; i < METRICS; i++) {
      if (!Float.isNaN(values[i])) {
        sums[i * UsageDay.SLOTS + slot] += values[i];
        counts[i * UsageDay.SLOTS + slot]++;
      }
    }
  }

  /** The means of those slots that have a sample. */
  public UsageDay means() {
    UsageDay day = new UsageDay();
    for (Metric metric : Metric.values()) {
      for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
        int at = metric.ordinal() * UsageDay.SLOTS + slot;
        if (counts[at] > 0) {
          day.set(metric, slot, sums[at] / counts[at]);
        }
      }
    }
    return day;
  }
}
