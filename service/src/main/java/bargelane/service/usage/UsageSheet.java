package bargelane.service.usage;

import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import bargelane.service.usage.UsageDays.Key;
import java.time.Instant;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import org.hibernate.Session;

/** Samples in any order, gathered into days until they are stored. */
public final class UsageSheet {

  /** 16 KiB each in memory. */
  public static final int MOST_DAYS = 4000;

  private static final int METRICS = Metric.values().length;

  /** Sums and counts of one machine's day. */
  private static final class Sums {
    private final double[] sums = new double[METRICS * UsageDay.SLOTS];
    private final short[] counts = new short[METRICS * UsageDay.SLOTS];
  }

  private final Map<Key, Sums> days = new LinkedHashMap<>();
  private boolean tooMany;

  /** Adds a sample of so many seconds, a divisor of five minutes; NaN is no value. */
  public void add(String machine, Instant at, int seconds, float[] values) {
    long second = Math.floorDiv(at.getEpochSecond(), seconds) * seconds;
    Key key = new Key(machine, LocalDate.ofEpochDay(Math.floorDiv(second, 86_400)));
    Sums day = days.get(key);
    if (day == null) {
      if (days.size() == MOST_DAYS) {
        tooMany = true;
        return;
      }
      day = new Sums();
      days.put(key, day);
    }
    int slot = (int) (Math.floorMod(second, 86_400) / UsageDay.SLOT_SECONDS);
    for (int i = 0; i < METRICS; i++) {
      if (!Float.isNaN(values[i])) {
        day.sums[i * UsageDay.SLOTS + slot] += values[i];
        day.counts[i * UsageDay.SLOTS + slot]++;
      }
    }
  }

  public boolean tooMany() {
    return tooMany;
  }

  /** Days of machines. */
  public int days() {
    return days.size();
  }

  /** How many of these days hold something already. */
  public int known(Session s) {
    if (days.isEmpty()) {
      return 0;
    }
    return ((Number)
            s.createNativeQuery(
                    "select count(*) from usage_day d join unnest(cast(:machines as text[]), cast(:days as date[])) k(m, d)"
                        + " on d.machine_id = k.m and d.day = k.d",
                    Object.class)
                .setParameter(
                    "machines", days.keySet().stream().map(Key::machine).toArray(String[]::new))
                .setParameter(
                    "days",
                    days.keySet().stream().map(k -> k.day().toString()).toArray(String[]::new))
                .getSingleResult())
        .intValue();
  }

  /** Stores them, in the caller's transaction: samples take the place of what their slots held. */
  public void store(Session s) {
    Map<Key, UsageDay> all = new LinkedHashMap<>();
    days.forEach(
        (key, sums) -> {
          UsageDay day = new UsageDay();
          for (Metric metric : Metric.values()) {
            for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
              int at = metric.ordinal() * UsageDay.SLOTS + slot;
              if (sums.counts[at] > 0) {
                day.set(metric, slot, sums.sums[at] / sums.counts[at]);
              }
            }
          }
          all.put(key, day);
          Arrays.fill(sums.counts, (short) 0);
        });
    s.doWork(c -> UsageDays.add(c, all));
  }
}
