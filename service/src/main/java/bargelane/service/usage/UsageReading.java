package bargelane.service.usage;

import bargelane.core.site.Inventory.Usage;
import bargelane.core.site.SiteKind;
import bargelane.core.usage.CounterStep;
import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageSeries;
import bargelane.service.guest.Surveying;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.Step;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.service.usage.UsageDays.Key;
import bargelane.sites.SiteDriver;
import bargelane.sites.UsageHistory;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Set;

/**
 * Takes over what sites tell of use: the samples that a platform keeps, since the last reading;
 * where it keeps none, the step of its counters since they were last looked at.
 */
public final class UsageReading {

  /** Machine-days in one transaction's hands: 9 KiB each. */
  private static final int BLOCK = 500;

  /** Samples may be told late: this much of what was read is read again. */
  private static final Duration AGAIN = Duration.ofMinutes(15);

  private final Db db;
  private final Sites sites;
  private final Surveying surveying;
  private final Clock clock;

  public UsageReading(Db db, Sites sites, Surveying surveying, Clock clock) {
    this.db = db;
    this.sites = sites;
    this.surveying = surveying;
    this.clock = clock;
  }

  /** The step of a scan that reads use. */
  public Step step() {
    return new Step(
        "usage",
        "Read what machines used",
        w ->
            Outcome.done(
                sites.kind(w.subjectId()) == SiteKind.AGENTS
                    ? "agents report it every minute"
                    : String.format(Locale.ROOT, "%,d samples", read(w.subjectId()))));
  }

  /**
   * Reads one site now. Reading again, or going on after being killed, adds nothing twice: a sample
   * has its place in its day.
   *
   * @return samples read
   */
  public long read(String siteId) {
    SiteDriver driver = sites.driver(siteId);
    if (driver.surveys().isPresent()) {
      Map<String, Usage> told = new HashMap<>();
      surveying.look(siteId, driver.surveys().get(), told::put);
      return counters(siteId, told);
    }
    Map<String, String> machines = new HashMap<>();
    Instant until =
        db.tx(
            s -> {
              for (Object[] row :
                  Db.list(
                      s,
                      Object[].class,
                      "select platformId, id from MachineEntity where siteId = ?1 and vanishedAt is null",
                      siteId)) {
                machines.put((String) row[0], (String) row[1]);
              }
              Instant last = s.find(SiteEntity.class, siteId).usageUntil;
              return last == null ? Instant.EPOCH : last;
            });
    return driver
        .history()
        .map(history -> samples(siteId, history, machines, until))
        .orElseGet(() -> counters(siteId, driver, machines));
  }

  private long samples(
      String siteId, UsageHistory history, Map<String, String> machines, Instant until) {
    Instant now = clock.instant();
    Instant earliest = now.minus(history.kept());
    Instant from = until.minus(AGAIN).isBefore(earliest) ? earliest : until.minus(AGAIN);
    long samples = 0;
    // A day at a time, oldest first: what a killed reading got through is not read again.
    for (LocalDate day = LocalDate.ofInstant(from, ZoneOffset.UTC);
        UsageSeries.start(day).isBefore(now);
        day = day.plusDays(1)) {
      Instant begins = UsageSeries.start(day);
      Instant ends = UsageSeries.start(day.plusDays(1));
      Instant read = ends.isBefore(now) ? ends : now;
      Block block = new Block(machines);
      history.read(begins.isBefore(from) ? from : begins, read, block::add);
      block.store();
      samples += block.samples;
      db.run(s -> s.find(SiteEntity.class, siteId).usageUntil = read);
    }
    return samples;
  }

  /** Days that are gathered and then stored together. */
  private final class Block {
    private final Map<String, String> machines;
    private final Map<Key, UsageDay> days = new LinkedHashMap<>();
    private long samples;

    Block(Map<String, String> machines) {
      this.machines = machines;
    }

    void add(UsageSeries series) {
      String machine = machines.get(series.platformId());
      if (machine == null) {
        return;
      }
      samples += series.samples();
      series.days().forEach((date, day) -> days.put(new Key(machine, date), day));
      if (days.size() >= BLOCK) {
        store();
      }
    }

    void store() {
      db.run(s -> s.doWork(c -> UsageDays.add(c, days)));
      days.clear();
    }
  }

  private long counters(String siteId, SiteDriver driver, Map<String, String> machines) {
    Map<String, Usage> told = new HashMap<>();
    driver
        .usage()
        .forEach(
            (platformId, usage) -> {
              if (machines.containsKey(platformId)) {
                told.put(machines.get(platformId), usage);
              }
            });
    return counters(siteId, told);
  }

  /** Steps counters, by machine, on from where the site's were looked at last. */
  private long counters(String siteId, Map<String, Usage> told) {
    return db.tx(
        s -> {
          Map<Key, UsageDay> days = new LinkedHashMap<>();
          Set<String> closer = UsageCounters.toldByCloser(s, siteId, clock.instant());
          told.forEach(
              (machine, now) -> {
                UsageCounterEntity former = UsageCounters.of(s, machine, siteId);
                if (former.counters != null && !closer.contains(machine)) {
                  CounterStep.between(Json.read(former.counters, Usage.class), now)
                      .ifPresent(
                          step ->
                              new UsageSeries(
                                      machine, step.slot(), UsageDay.SLOT_SECONDS, step.values())
                                  .days()
                                  .forEach((date, day) -> days.put(new Key(machine, date), day)));
                }
                UsageCounters.keep(s, former, now.at(), now);
              });
          s.doWork(c -> UsageDays.add(c, days));
          return (long) days.size();
        });
  }
}
