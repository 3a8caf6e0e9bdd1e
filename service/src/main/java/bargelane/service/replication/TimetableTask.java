package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.core.replication.PassDue;
import bargelane.service.platform.Db;
import bargelane.service.platform.ScheduledTasks;
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
import org.hibernate.Session;

/** Begins a leg's passes when its timetable says so; never two at once. */
public final class TimetableTask {

  private static final String TASK = "timetable";
  private static final Duration TRY_AGAIN = Duration.ofSeconds(1);

  private static final Duration LATE = Duration.ofSeconds(15);

  /** When a leg that is held is looked at again, though whoever lets it go on says so. */
  private static final Duration LOOK_AGAIN = Duration.ofSeconds(10);

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
        Tasks.custom(TASK, Void.class)
            .onFailure(new FailureHandler.OnFailureRetryLater<Void>(TRY_AGAIN))
            .onDeadExecutionRevive()
            .execute((instance, context) -> due(instance.getId()));
  }

  public CustomTask<Void> task() {
    return task;
  }

  /** Takes up every leg that is open. */
  public void open(Scheduler started) {
    scheduler = started;
    again(
        db.tx(
            s ->
                Db.list(
                    s,
                    String.class,
                    "select id from LegEntity where state <> ?1",
                    LegState.CLOSED)));
  }

  /** Has legs looked at now: what they keep to has changed. */
  public void again(Collection<String> legs) {
    db.run(s -> legs.forEach(leg -> watch(s, leg, clock.instant())));
    if (scheduler != null) {
      scheduler.triggerCheckForDueExecutions();
    }
  }

  /** Sees to a leg from an instant on, in the transaction that opens it or lets it go on. */
  public static void watch(Session s, String legId, Instant from) {
    ScheduledTasks.by(s, TASK, legId, from);
  }

  private record Due(boolean over, boolean begun, Instant next) {}

  private CompletionHandler<Void> due(String legId) {
    Due due =
        db.tx(
            s -> {
              Instant now = clock.instant();
              LegEntity leg =
                  s.find(LegEntity.class, legId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
              if (leg == null || leg.state == LegState.CLOSED) {
                return new Due(true, false, now);
              }
              boolean busy = !Runs.open(s, PassRun.KIND, leg.towId).isEmpty();
              if (busy || leg.state == LegState.PAUSED || !leg.heldBy.isEmpty()) {
                return new Due(false, false, now.plus(LOOK_AGAIN));
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
                return new Due(false, false, next);
              }
              if (Passes.crowded(s, leg.towId)) {
                // Whoever has waited for longest looks again soonest.
                boolean late = Duration.between(next, now).compareTo(LATE) > 0;
                return new Due(false, false, now.plus(late ? TRY_AGAIN : Passes.later()));
              }
              PassRun.start(s, runs, tow, legId, "timetable");
              return new Due(false, true, now.plusSeconds(timetable.everySeconds));
            });
    if (due.over()) {
      return new CompletionHandler.OnCompleteRemove<>();
    }
    if (due.begun()) {
      runs.look();
    }
    return (complete, operations) -> operations.reschedule(complete, due.next());
  }
}
