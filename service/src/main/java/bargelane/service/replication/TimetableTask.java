package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.core.replication.PassDue;
import bargelane.service.platform.Db;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Collection;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** Begins a leg's passes when its timetable says so; never two at once. */
public final class TimetableTask {

  private static final Logger log = LoggerFactory.getLogger(TimetableTask.class);
  private static final Duration LOOK_AGAIN = Duration.ofSeconds(1);

  private final Db db;
  private final RunEngine runs;
  private final Clock clock;
  private final CustomTask<Void> task;
  private Scheduler scheduler;

  public TimetableTask(Db db, RunEngine runs, Clock clock) {
    this.db = db;
    this.runs = runs;
    this.clock = clock;
    this.task =
        Tasks.custom("timetable", Void.class)
            .onFailure(new FailureHandler.OnFailureRetryLater<Void>(LOOK_AGAIN))
            .onDeadExecutionRevive()
            .execute((instance, context) -> due(instance.getId()));
  }

  public CustomTask<Void> task() {
    return task;
  }

  /** Takes up every leg that is open. */
  public void open(Scheduler started) {
    scheduler = started;
    db.tx(
            s ->
                Db.list(
                    s, String.class, "select id from LegEntity where state <> ?1", LegState.CLOSED))
        .forEach(this::watch);
  }

  /** Sees to a leg from now on; a paused one waits until it is open. */
  public void watch(String legId) {
    if (scheduler != null) {
      scheduler.scheduleIfNotExists(task.instance(legId), clock.instant());
    }
  }

  /** Has legs looked at now, since what they keep to has changed. */
  public void again(Collection<String> legs) {
    if (scheduler == null) {
      return;
    }
    for (String leg : legs) {
      try {
        scheduler.reschedule(task.instance(leg), clock.instant());
      } catch (RuntimeException e) {
        // It is being looked at this moment, or its leg is closed.
        log.debug("leg {} is not put forward: {}", leg, e.getMessage());
      }
    }
  }

  private record Due(boolean over, String run, Instant next) {}

  private CompletionHandler<Void> due(String legId) {
    Due due =
        db.tx(
            s -> {
              Instant now = clock.instant();
              LegEntity leg =
                  s.find(LegEntity.class, legId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
              if (leg == null || leg.state == LegState.CLOSED) {
                return new Due(true, "", now);
              }
              boolean busy = !Runs.open(s, PassRun.KIND, leg.towId).isEmpty();
              if (busy || leg.state == LegState.PAUSED || !leg.heldBy.isEmpty()) {
                return new Due(false, "", now.plus(LOOK_AGAIN));
              }
              TowEntity tow = s.find(TowEntity.class, leg.towId);
              TimetableEntity timetable = s.find(TimetableEntity.class, tow.timetableId);
              Optional<Instant> last =
                  Db.first(
                      s,
                      Instant.class,
                      "select startedAt from PassEntity where legId = ?1 order by number desc",
                      legId);
              Instant next = PassDue.next(last, Duration.ofSeconds(timetable.everySeconds), now);
              if (next.isAfter(now)) {
                return new Due(false, "", next);
              }
              return new Due(
                  false,
                  PassRun.start(s, runs, tow, legId, null, "timetable"),
                  now.plusSeconds(timetable.everySeconds));
            });
    if (due.over()) {
      return new CompletionHandler.OnCompleteRemove<>();
    }
    if (!due.run().isEmpty()) {
      runs.wake(due.run());
    }
    return (complete, operations) -> operations.reschedule(complete, due.next());
  }
}
