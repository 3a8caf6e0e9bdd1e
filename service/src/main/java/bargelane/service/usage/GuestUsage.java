package bargelane.service.usage;

import bargelane.core.site.Inventory.Usage;
import bargelane.core.usage.SlotMeans;
import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageSeries;
import bargelane.service.platform.Json;
import bargelane.service.usage.UsageDays.Key;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.hibernate.Session;

/** Counters that a guest tells every minute, on their way to means of five. */
public final class GuestUsage {

  private GuestUsage() {}

  /**
   * Takes looks over, in the caller's transaction.
   *
   * @param site that tells them
   * @param looks in their order; those before the newest that is known tell nothing new
   */
  public static void add(Session s, String machine, String site, List<Usage> looks) {
    if (looks.isEmpty()) {
      return;
    }
    UsageCounterEntity kept = UsageCounters.of(s, machine, site);
    SlotMeans means =
        kept.counters == null ? SlotMeans.NONE : Json.read(kept.counters, SlotMeans.class);
    Map<Key, UsageDay> days = new LinkedHashMap<>();
    for (Usage look : looks) {
      means =
          means.with(
              look,
              slot ->
                  new UsageSeries(machine, slot.from(), UsageDay.SLOT_SECONDS, slot.means())
                      .days()
                      .forEach(
                          (date, day) ->
                              days.computeIfAbsent(new Key(machine, date), k -> new UsageDay())
                                  .overlay(day)));
    }
    UsageCounters.keep(s, kept, means.last().orElseThrow().at(), means);
    s.flush();
    s.doWork(c -> UsageDays.add(c, days));
  }
}
