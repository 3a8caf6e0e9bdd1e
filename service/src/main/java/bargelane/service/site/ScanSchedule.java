package bargelane.service.site;

import bargelane.service.db.Db;
import bargelane.service.event.Events;
import bargelane.service.http.ProblemException;
import bargelane.service.run.RunEngine;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.exceptions.TaskInstanceException;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.TaskInstanceId;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import com.github.kagkarlsson.scheduler.task.schedule.CronSchedule;
import com.github.kagkarlsson.scheduler.task.schedule.CronStyle;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.Map;
import java.util.Optional;

/**
 * Scans sites by themselves, as their cron expressions say. What fell due while no node ran is made
 * up for by one scan; a site that is being scanned is not scanned twice.
 */
public final class ScanSchedule {

  private static final Duration AGAIN = Duration.ofSeconds(10);

  private final Db db;
  private final RunEngine runs;
  private final Events events;
  private final Clock clock;
  private final CustomTask<Void> task;
  private Scheduler scheduler;

  public ScanSchedule(Db db, RunEngine runs, Events events, Clock clock) {
    this.db = db;
    this.runs = runs;
    this.events = events;
    this.clock = clock;
    this.task =
        Tasks.custom("scan-schedule", Void.class)
            .onFailure(new FailureHandler.OnFailureRetryLater<Void>(AGAIN))
            .onDeadExecutionRevive()
            .execute((instance, context) -> due(instance.getId()));
  }

  public CustomTask<Void> task() {
    return task;
  }

  /** Takes up every site that has a schedule. */
  public void open(Scheduler started) {
    scheduler = started;
    db.tx(s -> Db.list(s, SiteEntity.class, "from SiteEntity where schedule <> ''"))
        .forEach(
            site ->
                next(site.schedule, clock.instant())
                    .ifPresent(at -> scheduler.scheduleIfNotExists(task.instance(site.id), at)));
  }

  /** When a schedule is due after an instant; none for an empty one. */
  static Optional<Instant> next(String cron, Instant after) {
    return cron.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new CronSchedule(cron, ZoneOffset.UTC, CronStyle.UNIX).getInitialExecutionTime(after));
  }

  /** Gives a site a schedule, or takes it away. */
  public void set(String ref, String cron, String by) {
    String wanted = cron == null ? "" : cron.strip();
    Optional<Instant> first;
    try {
      first = next(wanted, clock.instant());
    } catch (RuntimeException e) {
      throw ProblemException.invalid(
          "schedule-malformed",
          "'" + wanted + "' is no schedule: " + e.getMessage(),
          "write minute, hour, day of the month, month and day of the week, as \"30 2 * * *\"");
    }
    String site =
        db.tx(
            s -> {
              SiteEntity entity = Sites.find(s, ref);
              entity.schedule = wanted;
              events.tell(
                  s,
                  "site",
                  entity.id,
                  null,
                  by
                      + (wanted.isEmpty()
                          ? " ended the schedule of " + entity.name
                          : " has " + entity.name + " scanned at " + wanted),
                  null);
              return entity.id;
            });
    TaskInstanceId instance = task.instance(site);
    if (first.isEmpty()) {
      // One that is under way ends by itself, since its site has no schedule any more.
      unlessUnderWay(() -> scheduler.cancel(instance));
    } else if (!scheduler.scheduleIfNotExists(task.instance(site), first.get())) {
      // One that is under way goes by the new schedule from its next time on.
      unlessUnderWay(() -> scheduler.reschedule(instance, first.get()));
    }
  }

  private static void unlessUnderWay(Runnable change) {
    try {
      change.run();
    } catch (TaskInstanceException e) {
      // it is under way, or is not there any more
    }
  }

  private record Due(String run, Optional<Instant> next) {}

  private CompletionHandler<Void> due(String siteId) {
    Due due =
        db.tx(
            s -> {
              SiteEntity site = s.find(SiteEntity.class, siteId);
              if (site == null || site.schedule.isEmpty()) {
                return new Due("", Optional.empty());
              }
              boolean busy =
                  !Db.list(
                          s,
                          Object.class,
                          "from RunEntity where siteId = ?1 and kind = 'scan' and endedAt is null",
                          siteId)
                      .isEmpty();
              return new Due(
                  busy ? "" : start(s, runs, site, "schedule"),
                  next(site.schedule, clock.instant()));
            });
    if (!due.run().isEmpty()) {
      runs.wake(due.run());
    }
    return due.next()
        .<CompletionHandler<Void>>map(at -> (done, operations) -> operations.reschedule(done, at))
        .orElseGet(CompletionHandler.OnCompleteRemove::new);
  }

  /** Begins a scan; gives its run, which is to be woken when the transaction has ended. */
  public static String start(org.hibernate.Session s, RunEngine runs, SiteEntity site, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            "scan",
            "Scan of " + site.name,
            null,
            site.id,
            null,
            Map.of(),
            java.util.List.of(),
            by));
  }
}
