package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.run.RunState;
import bargelane.service.event.Actor;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.ScheduledTasks;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.hibernate.exception.ConstraintViolationException;

/**
 * Drives runs step by step. A step is recorded before and after; whoever drives a run next begins
 * with the first step that is not recorded as done, found by its name. A run that fails is backed
 * out by the steps of its kind.
 */
public final class RunEngine {

  private final Db db;
  private final RunStore store;
  private final Clock clock;
  private final Map<String, RunKind> kinds = new HashMap<>();
  private final CustomTask<Void> task;
  private Scheduler scheduler;

  /** By run; what is lost with this node only shortens waits. */
  private final Map<String, Drive.Failures> failures = new ConcurrentHashMap<>();

  public RunEngine(Db db, Events events, Clock clock) {
    this.db = db;
    this.store = new RunStore(db, events, clock);
    this.clock = clock;
    this.task =
        Tasks.custom(RunStore.TASK, Void.class)
            .onFailure(new FailureHandler.OnFailureRetryLater<Void>(Duration.ofSeconds(1)))
            .onDeadExecutionRevive()
            .execute((instance, context) -> drive(instance.getId()));
  }

  public void add(RunKind kind) {
    kinds.put(kind.name(), kind);
  }

  /** The scheduler's task that drives runs. */
  public CustomTask<Void> task() {
    return task;
  }

  /** Begins driving; every open run is taken up. */
  public void open(Scheduler started) {
    scheduler = started;
    db.tx(s -> Db.list(s, String.class, "select id from RunEntity where endedAt is null"))
        .forEach(this::wake);
  }

  /**
   * What a new run is.
   *
   * @param parentId the run that waits for it; null for none
   * @param machines those that it changes
   */
  public record Start(
      String kind,
      String title,
      Subject subject,
      String parentId,
      Object input,
      List<String> machines,
      String by) {}

  /**
   * Records a run, to be driven once the transaction is committed; call {@link #look} then.
   *
   * @throws ProblemException if one of its machines has an open run that changes it
   */
  public String start(Session session, Start start) {
    RunKind kind = kinds.get(start.kind());
    RunEntity run = new RunEntity();
    run.id = Ids.next("run");
    run.kind = start.kind();
    run.title = start.title();
    run.subjectKind = start.subject().kind();
    run.subjectId = start.subject().id();
    run.subjectName = start.subject().name();
    run.parentId = start.parentId();
    run.routine = kind.routine() || start.parentId() != null;
    run.state = RunState.RUNNING;
    run.input = Json.text(start.input());
    run.notes = "{}";
    run.startedBy = start.by();
    run.startedAt = clock.instant();
    session.persist(run);
    session.flush();
    try {
      for (String machine : start.machines()) {
        session
            .createNativeMutationQuery(
                "insert into run_machine (run_id, machine_id) values (?1, ?2)")
            .setParameter(1, run.id)
            .setParameter(2, machine)
            .executeUpdate();
      }
    } catch (ConstraintViolationException e) {
      throw ProblemException.conflict(
          "machine-busy",
          "another run that changes a machine of " + start.subject().name() + " is open",
          Remedy.of("follow it", Action.RUN_LIST));
    }
    int number = 1;
    List<Step> steps = kind.steps(new Work(store, run));
    if (steps.stream().map(Step::name).distinct().count() < steps.size()) {
      throw new IllegalStateException("two steps of " + run.kind + " have one name");
    }
    for (Step step : steps) {
      RunStore.add(session, run.id, number++, step);
    }
    store.tell(session, run, RunStore.told(run), run.title + " started", null);
    wake(session, run.id);
    return run.id;
  }

  /** Has a run driven now. */
  public void wake(String runId) {
    db.run(s -> wake(s, runId));
    look();
  }

  /** Has a run driven once the caller's transaction is committed; {@link #look} then. */
  public void wake(Session session, String runId) {
    ScheduledTasks.by(session, RunStore.TASK, runId, clock.instant());
  }

  /** Has this node look at once for runs that are to be driven. */
  public void look() {
    if (scheduler != null) {
      scheduler.triggerCheckForDueExecutions();
    }
  }

  /** The code of the problem of a run that a person stopped. */
  public static final String STOPPED = "stopped";

  /**
   * Asks that a run is stopped: it is backed out before its next step, or in the step that it waits
   * in. What a step is doing at this moment it does to its end.
   *
   * @throws ProblemException if it is over, is being backed out, or can't be stopped where it is
   */
  public void stop(String runId, String by) {
    db.run(
        s -> {
          RunEntity run = s.find(RunEntity.class, runId, LockMode.PESSIMISTIC_WRITE);
          if (run == null) {
            throw ProblemException.missing("run", runId);
          }
          Remedy look = Remedy.of("look at it", Action.RUN_SHOW, runId);
          if (run.endedAt != null) {
            throw ProblemException.conflict("run-over", run.title + " is over", look);
          }
          if (run.state == RunState.BACKING_OUT) {
            throw ProblemException.conflict(
                "backing-out", run.title + " is being backed out already", look);
          }
          kinds
              .get(run.kind)
              .holdsOn(new Work(store, run))
              .ifPresent(
                  why -> {
                    throw ProblemException.conflict(
                        "past-stopping", run.title + " can't be stopped: " + why, look);
                  });
          if (run.stopBy.isEmpty()) {
            run.stopBy = by;
            store.tell(s, run, RunStore.told(run), by + " stops " + run.title, null);
          }
        });
    wake(runId);
  }

  /** Ends a run from outside: it is backed out. Nothing if it is over or backing out already. */
  public void giveUp(String runId, String code, String detail) {
    db.run(
        s -> {
          RunEntity run = s.find(RunEntity.class, runId, LockMode.PESSIMISTIC_WRITE);
          if (run != null && run.state == RunState.RUNNING) {
            run.epoch = RunStore.nextEpoch(s);
            store.fail(
                s,
                run,
                new Problem(
                    "about:blank", "given up", 409, code, detail, bargelane.api.Remedy.NONE),
                kinds.get(run.kind).backOut(new Work(store, run)));
          }
        });
    wake(runId);
  }

  /**
   * Ends the runs that a backup found open, in the caller's transaction: what they did since it was
   * made is not recorded here, so that going on with them, or backing them out, might undo what
   * others did. Those that leave nothing to others are backed out.
   *
   * @return titles of those that are ended
   */
  public List<String> restored(Session s, Instant madeAt) {
    // Whoever drove a run under the backup's service is behind whoever drives one now.
    relieve(s, 0);
    List<String> ended = new ArrayList<>();
    for (RunEntity run :
        Db.list(s, RunEntity.class, "from RunEntity where endedAt is null order by id")) {
      RunKind kind = kinds.get(run.kind);
      if (run.state == RunState.BACKING_OUT && kind.leavesNothingToOthers()) {
        continue;
      }
      if (kind.leavesNothingToOthers()) {
        giveUp(
            run.id,
            RESTORED,
            "the service was restored from a backup of " + madeAt.truncatedTo(ChronoUnit.SECONDS));
        continue;
      }
      run.epoch = RunStore.nextEpoch(s);
      run.state = RunState.FAILED;
      run.endedAt = clock.instant();
      run.problem =
          Json.text(
              new Problem(
                  "about:blank",
                  "restored",
                  409,
                  RESTORED,
                  run.title
                      + " was open in the backup of "
                      + madeAt.truncatedTo(ChronoUnit.SECONDS)
                      + "; what became of it is not known",
                  bargelane.api.Remedy.NONE));
      s.createNativeMutationQuery("delete from run_machine where run_id = ?1")
          .setParameter(1, run.id)
          .executeUpdate();
      ended.add(run.title);
    }
    return ended;
  }

  /**
   * Lets whatever is driven from now on have a higher epoch than another service that drove the
   * same, in the caller's transaction. Gives one.
   *
   * @param seen an epoch of that service; it may have gone on since
   */
  public long relieve(Session s, long seen) {
    return ((Number)
            s.createNativeQuery(
                    "select setval('run_epoch', greatest(nextval('run_epoch'), :seen) + "
                        + EPOCHS
                        + ")",
                    Object.class)
                .setParameter("seen", seen)
                .getSingleResult())
        .longValue();
  }

  /** What sites know each kind of work on a subject by. */
  public List<String> keys(String subjectId) {
    return kinds.keySet().stream().sorted().map(kind -> key(kind, subjectId)).toList();
  }

  static String key(String kind, String subjectId) {
    return kind + " of " + subjectId;
  }

  /** More than any service takes between two backups, or between two points. */
  private static final long EPOCHS = 1_000_000;

  /** The code of the problem of a run that was open in a backup. */
  public static final String RESTORED = "restored";

  /** What it does is done by whoever began it. */
  private static Optional<Duration> on(Drive drive) {
    try {
      return Actor.acts(drive.worksFor(), drive::on);
    } catch (RuntimeException e) {
      throw e;
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  private CompletionHandler<Void> drive(String runId) {
    Optional<Drive> drive = Drive.take(store, failures, kinds, runId);
    if (drive.isEmpty()) {
      return new CompletionHandler.OnCompleteRemove<>();
    }
    Optional<Duration> again = on(drive.get());
    if (again.isPresent()) {
      Instant next = clock.instant().plus(again.get());
      return (complete, operations) -> operations.reschedule(complete, next);
    }
    failures.remove(runId);
    drive.get().parent().ifPresent(parent -> look());
    return new CompletionHandler.OnCompleteRemove<>();
  }
}
