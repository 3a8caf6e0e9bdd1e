package bargelane.service.pass;

import bargelane.service.db.Db;
import bargelane.service.run.RunEngine;
import bargelane.service.wave.LegEntity;
import bargelane.service.wave.TimetableEntity;
import bargelane.service.wave.TowEntity;
import bargelane.service.wave.WaveEntity;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;

/** Begins a leg's passes when its timetable says so; never two at once. */
public final class TimetableTask {

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
                    s, String.class, "select id from LegEntity where state in ('open', 'paused')"))
        .forEach(this::watch);
  }

  /** Sees to a leg from now on; a paused one waits until it is open. */
  public void watch(String legId) {
    if (scheduler != null) {
      scheduler.scheduleIfNotExists(task.instance(legId), clock.instant());
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
              if (leg == null || leg.state.equals("closed")) {
                return new Due(true, "", now);
              }
              boolean busy =
                  !Db.list(
                          s,
                          Object.class,
                          "from RunEntity where towId = ?1 and kind = 'pass' and endedAt is null",
                          leg.towId)
                      .isEmpty();
              if (busy || leg.state.equals("paused")) {
                return new Due(false, "", now.plus(LOOK_AGAIN));
              }
              WaveEntity wave = s.find(WaveEntity.class, s.find(TowEntity.class, leg.towId).waveId);
              TimetableEntity timetable = s.find(TimetableEntity.class, wave.timetableId);
              Instant last =
                  Db.first(
                          s,
                          Instant.class,
                          "select startedAt from PassEntity where legId = ?1 order by startedAt desc",
                          legId)
                      .orElse(Instant.EPOCH);
              Instant next = last.plusSeconds(timetable.everySeconds);
              if (next.isAfter(now)) {
                return new Due(false, "", next);
              }
              return new Due(
                  false,
                  PassRun.start(s, runs, leg.towId, legId, null, "timetable"),
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
