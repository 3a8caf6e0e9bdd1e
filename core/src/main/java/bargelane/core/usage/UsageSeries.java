package bargelane.core.usage;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.SortedMap;
import java.util.TreeMap;

/**
 * Samples of one machine as a platform told them.
 *
 * @param platformId the platform's id of the machine
 * @param first where the first sample's time begins
 * @param stepSeconds how long each lasts, a divisor of five minutes or five minutes
 * @param values sample after sample, in the order of {@link Metric}
 */
public record UsageSeries(String platformId, Instant first, int stepSeconds, float[] values) {

  public UsageSeries {
    if (stepSeconds < 1 || UsageDay.SLOT_SECONDS % stepSeconds != 0) {
      throw new IllegalArgumentException(
          "a step of " + stepSeconds + " s does not divide five minutes");
    }
    if (values.length % Metric.values().length != 0) {
      throw new IllegalArgumentException(values.length + " values are no whole samples");
    }
  }

  public int samples() {
    return values.length / Metric.values().length;
  }

  /** The samples by days; where several fall into one slot, their mean. */
  public SortedMap<LocalDate, UsageDay> days() {
    SortedMap<LocalDate, UsageDay> days = new TreeMap<>();
    int per = UsageDay.SLOT_SECONDS / stepSeconds;
    int metrics = Metric.values().length;
    UsageDay day = null;
    LocalDate date = null;
    long at = first.getEpochSecond();
    for (int i = 0; i < samples(); ) {
      long slotStart = Math.floorDiv(at, UsageDay.SLOT_SECONDS) * (long) UsageDay.SLOT_SECONDS;
      int until = (int) Math.min(samples(), i + per - (at - slotStart) / stepSeconds);
      LocalDate of = LocalDate.ofEpochDay(Math.floorDiv(slotStart, 86_400));
      if (!of.equals(date)) {
        date = of;
        day = days.computeIfAbsent(of, d -> new UsageDay());
      }
      int slot = (int) (Math.floorMod(slotStart, 86_400) / UsageDay.SLOT_SECONDS);
      for (Metric metric : Metric.values()) {
        double sum = 0;
        int held = 0;
        for (int k = i; k < until; k++) {
          float value = values[k * metrics + metric.ordinal()];
          if (!Float.isNaN(value)) {
            sum += value;
            held++;
          }
        }
        if (held > 0) {
          day.set(metric, slot, sum / held);
        }
      }
      at += (long) (until - i) * stepSeconds;
      i = until;
    }
    return days;
  }

  /** When the last sample's time ends. */
  public Instant end() {
    return first.plusSeconds((long) samples() * stepSeconds);
  }

  /** The beginning of a day. */
  public static Instant start(LocalDate day) {
    return day.atStartOfDay(ZoneOffset.UTC).toInstant();
  }
}
