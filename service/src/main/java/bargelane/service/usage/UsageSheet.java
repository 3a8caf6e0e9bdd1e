package bargelane.service.usage;

import bargelane.core.usage.SlotSums;
import bargelane.core.usage.UsageDay;
import bargelane.service.usage.UsageDays.Key;
import java.time.Instant;
import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.Map;
import org.hibernate.Session;

/** Samples in any order, gathered into days until they are stored. */
public final class UsageSheet {

  /** 20 KiB each in memory. */
  public static final int MOST_DAYS = 4000;

  private final Map<Key, SlotSums> days = new LinkedHashMap<>();
  private boolean tooMany;

  /** Adds a sample of so many seconds, a divisor of five minutes; NaN is no value. */
  public void add(String machine, Instant at, int seconds, float[] values) {
    long second = Math.floorDiv(at.getEpochSecond(), seconds) * seconds;
    Key key = new Key(machine, LocalDate.ofEpochDay(Math.floorDiv(second, 86_400)));
    SlotSums day = days.get(key);
    if (day == null) {
      if (days.size() == MOST_DAYS) {
        tooMany = true;
        return;
      }
      day = new SlotSums();
      days.put(key, day);
    }
    day.add((int) Math.floorMod(second, 86_400), values);
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
    days.forEach((key, sums) -> all.put(key, sums.means()));
    s.doWork(c -> UsageDays.add(c, all));
  }
}
