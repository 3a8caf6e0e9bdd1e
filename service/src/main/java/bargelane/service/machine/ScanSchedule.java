package bargelane.service.machine;

import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import bargelane.service.run.Subject;
import bargelane.service.site.Cron;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.exceptions.TaskInstanceException;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.TaskInstanceId;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

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
                Cron.next(site.schedule, clock.instant())
                    .ifPresent(at -> scheduler.scheduleIfNotExists(task.instance(site.id), at)));
  }

  /** Gives a site a schedule, or takes it away. */
  public void set(String ref, String cron, String by) {
    keepTo(db.tx(s -> store(s, ref, cron, by)));
  }

  /**
   * Stores a site's schedule in the caller's transaction, after which it is kept to by {@link
   * #keepTo}; a node that starts does so by itself.
   *
   * @return the site's id
   */
  public String store(Session s, String ref, String cron, String by) {
    String wanted = cron == null ? "" : cron.strip();
    try {
      Cron.next(wanted, clock.instant());
    } catch (RuntimeException e) {
      throw ProblemException.invalid(
          "schedule-malformed",
          "'" + wanted + "' is not a schedule: " + e.getMessage(),
          "write minute, hour, day of the month, month and day of the week, as \"30 2 * * *\"");
    }
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
  }

  /** Has a site scanned by the schedule that is stored for it. */
  public void keepTo(String site) {
    Optional<Instant> first =
        db.tx(s -> Optional.ofNullable(s.find(SiteEntity.class, site)).map(x -> x.schedule))
            .flatMap(cron -> Cron.next(cron, clock.instant()));
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
              boolean busy = !Runs.open(s, ScanRun.KIND, siteId).isEmpty();
              return new Due(
                  busy ? "" : start(s, runs, site, "schedule"),
                  Cron.next(site.schedule, clock.instant()));
            });
    if (!due.run().isEmpty()) {
      runs.wake(due.run());
    }
    return due.next()
        .<CompletionHandler<Void>>map(at -> (done, operations) -> operations.reschedule(done, at))
        .orElseGet(CompletionHandler.OnCompleteRemove::new);
  }

  /** Begins a scan now; gives its run. */
  public String now(String ref, String by) {
    String run = db.tx(s -> start(s, runs, Sites.find(s, ref), by));
    runs.wake(run);
    return run;
  }

  /** Begins a scan; gives its run, which is to be woken when the transaction has ended. */
  public static String start(org.hibernate.Session s, RunEngine runs, SiteEntity site, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            ScanRun.KIND,
            "Scan of " + site.name,
            new Subject("site", site.id, site.name),
            null,
            Map.of(),
            java.util.List.of(),
            by));
  }
}
