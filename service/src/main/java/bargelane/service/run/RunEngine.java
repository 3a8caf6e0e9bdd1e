package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.run.RunState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Remedies;
import bargelane.sites.Acting;
import bargelane.sites.SiteException;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.helper.CustomTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ThreadLocalRandom;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.hibernate.exception.ConstraintViolationException;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Drives runs step by step. A step is recorded before and after; whoever drives a run next begins
 * with the first step that is not recorded as done, found by its name. A run that fails is backed
 * out by the steps of its kind.
 */
public final class RunEngine {

  private static final Logger log = LoggerFactory.getLogger(RunEngine.class);

  private final Db db;
  private final RunStore store;
  private final Clock clock;
  private final Map<String, RunKind> kinds = new HashMap<>();
  private final CustomTask<Void> task;
  private Scheduler scheduler;

  /**
   * How often the step of a run failed in a row; what is lost with this node only shortens waits.
   */
  private record Failures(String step, int count) {}

  private final Map<String, Failures> failures = new ConcurrentHashMap<>();

  public RunEngine(Db db, Events events, Clock clock) {
    this.db = db;
    this.store = new RunStore(db, events, clock);
    this.clock = clock;
    this.task =
        Tasks.custom("run", Void.class)
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
   * Records a run; call {@link #wake} when the transaction is committed.
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
    run.routine = kind.routine();
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
    store.tell(session, run, told(kind), run.title + " started", null);
    return run.id;
  }

  /** The kind of the events that tell of a run as a whole. */
  private static String told(RunKind kind) {
    return kind.routine() ? kind.name() : "run";
  }

  /** Has a run driven now. */
  public void wake(String runId) {
    if (scheduler == null) {
      return;
    }
    Instant now = clock.instant();
    if (!scheduler.scheduleIfNotExists(task.instance(runId), now)) {
      try {
        scheduler.reschedule(task.instance(runId), now);
      } catch (RuntimeException e) {
        // It is being driven at this moment and looks again by itself.
        log.debug("run {} is awake", runId);
      }
    }
  }

  /** The code of the problem of a run that a person stopped. */
  public static final String STOPPED = "stopped";

  private static Problem stopped(RunEntity run) {
    return new Problem(
        "about:blank",
        run.title + " stopped",
        409,
        STOPPED,
        run.stopBy + " stopped it",
        bargelane.api.Remedy.NONE);
  }

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
            store.tell(s, run, told(kinds.get(run.kind)), by + " stops " + run.title, null);
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

  private CompletionHandler<Void> drive(String runId) {
    RunEntity run = store.take(runId);
    if (run == null || run.endedAt != null) {
      return new CompletionHandler.OnCompleteRemove<>();
    }
    Work work = new Work(store, run);
    RunKind kind = kinds.get(run.kind);
    RunStore.Finished finished = null;
    try {
      while (true) {
        boolean backing = run.state == RunState.BACKING_OUT;
        List<Step> steps = backing ? kind.backOut(work) : kind.steps(work);
        StepEntity row = store.next(run, finished, steps);
        finished = null;
        if (row == null) {
          failures.remove(run.id);
          String parent = store.end(run, backing ? RunState.FAILED : RunState.DONE, told(kind));
          if (parent != null) {
            wake(parent);
          }
          return new CompletionHandler.OnCompleteRemove<>();
        }
        if (!backing && !run.stopBy.isEmpty() && kind.holdsOn(work).isEmpty()) {
          store.giveIn(run, row, stopped(run), "not done", kind.backOut(work));
          continue;
        }
        Step step = steps.stream().filter(x -> x.name().equals(row.name)).findFirst().orElseThrow();
        if (!backing && !run.stopBy.isEmpty()) {
          store.begin(run, row);
        }
        Outcome outcome = attempt(work, run, kind, row, step);
        if (outcome instanceof Outcome.Done done) {
          finished = new RunStore.Finished(row, done.detail());
        } else if (outcome instanceof Outcome.Wait wait) {
          store.note(run, row, wait.detail());
          if (!backing && !run.stopBy.isEmpty() && kind.holdsOn(work).isEmpty()) {
            continue; // It was stopped while the step was tried.
          }
          Instant next = clock.instant().plus(wait.again());
          return (complete, operations) -> operations.reschedule(complete, next);
        }
      }
    } catch (Work.StaleEpoch e) {
      log.info("{}", e.getMessage());
      Instant next = clock.instant();
      return (complete, operations) -> operations.reschedule(complete, next);
    }
  }

  /** One attempt; null means the run's state changed and the next step is to be looked up again. */
  private Outcome attempt(Work work, RunEntity run, RunKind kind, StepEntity row, Step step) {
    try {
      Outcome outcome =
          new Acting(run.kind + " of " + run.subjectId, run.epoch)
              .run(() -> step.action().run(work));
      failures.remove(run.id);
      return outcome;
    } catch (Work.StaleEpoch e) {
      throw e;
    } catch (RuntimeException e) {
      Optional<String> database = Db.trouble(e);
      if (database.isPresent()) {
        return new Outcome.Wait("the database: " + database.get(), pause(run, row));
      }
      if (step.untilDone()) {
        boolean expected = e instanceof SiteException || e instanceof RunFailure;
        return new Outcome.Wait(
            expected
                ? e.getMessage()
                : internal(row, e) + " (entry " + logged(run, row, e) + " of its log)",
            pause(run, row));
      }
      return failed(work, run, kind, row, e);
    }
  }

  /**
   * Between two attempts at a step that fails: from 1 s to 8 s by how often it failed since it last
   * got on, and not the same for all that wait.
   */
  private Duration pause(RunEntity run, StepEntity row) {
    Failures now =
        failures.merge(
            run.id,
            new Failures(row.name, 1),
            (a, b) -> a.step.equals(b.step) ? new Failures(a.step, a.count + 1) : b);
    long most = 1000L << Math.min(now.count, 3);
    return Duration.ofMillis(most / 2 + ThreadLocalRandom.current().nextLong(most / 2 + 1));
  }

  private static String internal(StepEntity row, RuntimeException e) {
    return "the service failed at step '" + row.title + "': " + e.getClass().getSimpleName();
  }

  private static String logged(RunEntity run, StepEntity row, RuntimeException e) {
    String entry = Ids.next("log");
    log.error("{}: step {} of run {} failed", entry, row.name, run.id, e);
    return entry;
  }

  private Outcome failed(
      Work work, RunEntity run, RunKind kind, StepEntity row, RuntimeException failure) {
    try {
      throw failure;
    } catch (SiteException e) {
      boolean patient =
          Duration.between(row.startedAt, clock.instant()).compareTo(kind.patience()) < 0;
      if (e.kind() == SiteException.Kind.MAY_PASS && patient) {
        return new Outcome.Wait(e.getMessage(), pause(run, row));
      }
      return giveIn(
          work,
          run,
          kind,
          row,
          e.code(),
          e.getMessage(),
          Remedy.advice("mend the cause at the site and start it again"));
    } catch (RunFailure e) {
      return giveIn(work, run, kind, row, e.code(), e.getMessage(), e.remedy());
    } catch (RuntimeException e) {
      return giveIn(
          work,
          run,
          kind,
          row,
          "internal",
          internal(row, e),
          Remedy.advice("read entry " + logged(run, row, e) + " of the service's log"));
    }
  }

  private Outcome giveIn(
      Work work,
      RunEntity run,
      RunKind kind,
      StepEntity row,
      String code,
      String detail,
      Remedy remedy) {
    if (run.state == RunState.BACKING_OUT) {
      // What could not be taken back stands in the ledger and is taken back as soon as it can be;
      // what must not be left is a step that is tried until it is done.
      return new Outcome.Done("left for later: " + detail);
    }
    log.warn("run {} ({}) fails at '{}': {}", run.id, run.kind, row.title, detail);
    store.giveIn(
        run,
        row,
        new Problem(
            "about:blank",
            run.title + " failed",
            500,
            code,
            row.title + ": " + detail,
            Remedies.view(remedy)),
        detail,
        kind.backOut(work));
    return null;
  }
}
