package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Json;
import bargelane.service.event.Events;
import bargelane.service.http.ProblemException;
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
import java.util.function.Function;
import org.hibernate.Session;
import org.hibernate.exception.ConstraintViolationException;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Drives runs step by step. A step is recorded before and after; whoever drives a run next begins
 * with the first step that is not recorded as done. A run that fails is backed out by the steps of
 * its kind.
 */
public final class RunEngine {

  /** Number of the first step that backs a run out. */
  public static final int BACK_OUT = 101;

  private static final Logger log = LoggerFactory.getLogger(RunEngine.class);

  private final Db db;
  private final Events events;
  private final Clock clock;
  private final Map<String, RunKind> kinds = new HashMap<>();
  private final CustomTask<Void> task;
  private Scheduler scheduler;

  public RunEngine(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
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

  /** What a new run is. {@code machines} are those it changes. */
  public record Start(
      String kind,
      String title,
      String towId,
      String siteId,
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
    RunEntity run = new RunEntity();
    run.id = Ids.next("run");
    run.kind = start.kind();
    run.title = start.title();
    run.towId = start.towId();
    run.siteId = start.siteId();
    run.parentId = start.parentId();
    run.state = "running";
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
          "another run that changes a machine of this wave is open",
          "follow it: bargelane run list");
    }
    int number = 1;
    for (Step step : kinds.get(run.kind).steps(new Work(this, run))) {
      addStep(session, run.id, number++, step);
    }
    // A timetable's passes are told by their points; told as runs they would drown the rest.
    events.tell(
        session,
        run.kind.equals("pass") ? "pass" : "run",
        subject(run),
        run.id,
        run.title + " started",
        null);
    return run.id;
  }

  private static String subject(RunEntity run) {
    return run.towId != null ? run.towId : run.siteId != null ? run.siteId : "";
  }

  private static void addStep(Session session, String run, int number, Step step) {
    StepEntity row = new StepEntity();
    row.runId = run;
    row.number = number;
    row.name = step.name();
    row.title = step.title();
    row.state = "waiting";
    row.detail = "";
    session.persist(row);
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

  /** Ends a run from outside: it is backed out. Nothing if it is over or backing out already. */
  public void giveUp(String runId, String code, String detail) {
    db.run(
        s -> {
          RunEntity run = s.find(RunEntity.class, runId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
          if (run != null && run.state.equals("running")) {
            run.epoch++;
            fail(s, run, new Problem("about:blank", "given up", 409, code, detail, ""));
          }
        });
    wake(runId);
  }

  // ---- driving

  private CompletionHandler<Void> drive(String runId) {
    RunEntity run =
        db.tx(
            s -> {
              RunEntity found =
                  s.find(RunEntity.class, runId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
              if (found != null && found.endedAt == null) {
                found.epoch++;
              }
              return found;
            });
    if (run == null || run.endedAt != null) {
      return new CompletionHandler.OnCompleteRemove<>();
    }
    Work work = new Work(this, run);
    RunKind kind = kinds.get(run.kind);
    try {
      while (true) {
        boolean backing = run.state.equals("backing out");
        List<Step> steps = backing ? kind.backOut(work) : kind.steps(work);
        int base = backing ? BACK_OUT : 1;
        StepEntity row = nextStep(run, base, steps.size());
        if (row == null) {
          end(run, backing ? "failed" : "done");
          return new CompletionHandler.OnCompleteRemove<>();
        }
        Step step = steps.get(row.number - base);
        begin(run, row);
        Outcome outcome = attempt(work, run, kind, row, step);
        if (outcome instanceof Outcome.Done done) {
          finish(run, row, done.detail());
        } else if (outcome instanceof Outcome.Wait wait) {
          note(run, row, wait.detail());
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
      return step.action().run(work);
    } catch (Work.StaleEpoch e) {
      throw e;
    } catch (SiteException e) {
      boolean patient =
          Duration.between(row.startedAt, clock.instant()).compareTo(kind.patience()) < 0;
      if (e.kind() == SiteException.Kind.MAY_PASS && patient) {
        return new Outcome.Wait(e.getMessage(), Duration.ofSeconds(1));
      }
      return giveIn(
          run, row, e.code(), e.getMessage(), "mend the cause at the site and start it again");
    } catch (RunFailure e) {
      return giveIn(run, row, e.code(), e.getMessage(), e.remedy());
    } catch (RuntimeException e) {
      log.error("step {} of run {} failed", row.name, run.id, e);
      return giveIn(
          run,
          row,
          "internal",
          "step '" + row.title + "' failed: " + e,
          "the service's log has the whole of it");
    }
  }

  private Outcome giveIn(RunEntity run, StepEntity row, String code, String detail, String remedy) {
    if (run.state.equals("backing out")) {
      // What could not be taken back stands in the ledger and is taken back as soon as it can be.
      return new Outcome.Done("left for later: " + detail);
    }
    log.warn("run {} ({}) fails at '{}': {}", run.id, run.kind, row.title, detail);
    Problem problem =
        new Problem(
            "about:blank", run.title + " failed", 500, code, row.title + ": " + detail, remedy);
    db.run(
        s -> {
          RunEntity fresh = guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          step.state = "failed";
          step.detail = detail;
          step.endedAt = clock.instant();
          fail(s, fresh, problem);
        });
    run.state = "backing out";
    run.problem = Json.text(problem);
    return null;
  }

  private void fail(Session s, RunEntity run, Problem problem) {
    run.state = "backing out";
    run.problem = Json.text(problem);
    int number = BACK_OUT;
    for (Step step : kinds.get(run.kind).backOut(new Work(this, run))) {
      addStep(s, run.id, number++, step);
    }
    events.tell(
        s, "run", subject(run), run.id, run.title + " failed: " + problem.detail(), problem);
  }

  private RunEntity guarded(Session session, RunEntity run) {
    RunEntity fresh =
        session.find(RunEntity.class, run.id, org.hibernate.LockMode.PESSIMISTIC_WRITE);
    if (fresh.epoch != run.epoch) {
      throw new Work.StaleEpoch(run.id);
    }
    return fresh;
  }

  private StepEntity nextStep(RunEntity run, int base, int count) {
    return db.tx(
        s ->
            Db.first(
                    s,
                    StepEntity.class,
                    "from StepEntity where runId = ?1 and number >= ?2 and number < ?3 and state <> 'done' order by number",
                    run.id,
                    base,
                    base + count)
                .orElse(null));
  }

  private void begin(RunEntity run, StepEntity row) {
    db.run(
        s -> {
          guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          if (step.startedAt == null) {
            step.startedAt = clock.instant();
            step.state = "running";
            events.tell(s, "step", subject(run), run.id, step.title, null);
          }
          step.attempts++;
          row.startedAt = step.startedAt;
        });
  }

  private void note(RunEntity run, StepEntity row, String detail) {
    db.run(
        s -> {
          guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          if (!step.detail.equals(detail)) {
            step.detail = detail;
            events.tell(s, "step", subject(run), run.id, step.title + ": " + detail, null);
          }
        });
  }

  private void finish(RunEntity run, StepEntity row, String detail) {
    db.run(
        s -> {
          guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          step.state = "done";
          step.detail = detail;
          step.endedAt = clock.instant();
          events.tell(
              s,
              "step",
              subject(run),
              run.id,
              step.title + (detail.isEmpty() ? "" : ": " + detail),
              null);
        });
  }

  private void end(RunEntity run, String state) {
    String parent =
        db.tx(
            s -> {
              RunEntity fresh = guarded(s, run);
              fresh.state = state;
              fresh.endedAt = clock.instant();
              s.createNativeMutationQuery("delete from run_machine where run_id = ?1")
                  .setParameter(1, run.id)
                  .executeUpdate();
              events.tell(
                  s,
                  run.kind.equals("pass") ? "pass" : "run",
                  subject(run),
                  run.id,
                  run.title + " " + state,
                  null);
              return fresh.parentId;
            });
    if (parent != null) {
      wake(parent);
    }
  }

  void storeNotes(RunEntity run, Function<Session, String> make) {
    run.notes =
        db.tx(
            s -> {
              String notes = make.apply(s);
              guarded(s, run).notes = notes;
              return notes;
            });
  }

  void storeResult(RunEntity run, String result) {
    db.run(s -> guarded(s, run).result = result);
  }
}
