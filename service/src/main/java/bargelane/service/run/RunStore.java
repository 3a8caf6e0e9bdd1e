package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.core.run.RunState;
import bargelane.core.run.StepOrder;
import bargelane.core.run.StepState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ScheduledTasks;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.jspecify.annotations.Nullable;

/** What is stored of runs while they are driven. Every write carries the run's epoch. */
final class RunStore {

  /** The name of the scheduler's task that drives runs. */
  static final String TASK = "run";

  /** Number of the first step that backs a run out. */
  static final int BACK_OUT = 101;

  private final Db db;
  private final Events events;
  private final Clock clock;

  RunStore(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /**
   * Where a run stands: the step that is to be tried now, or that it is over.
   *
   * @param parent the run that waits for it, once it is over; null for none
   */
  record Next(RunEntity run, @Nullable StepEntity step, @Nullable String parent) {
    boolean over() {
      return step == null;
    }
  }

  /**
   * Takes a run to be driven, under a new epoch, and begins its first step that is not done; over
   * if all are. Empty if there is no such run, or it was over before.
   */
  Optional<Next> take(String runId, Function<RunEntity, List<Step>> steps) {
    return db.tx(s -> take(s, runId).map(run -> next(s, run, null, steps.apply(run))));
  }

  /** Puts a run that is not over under a new epoch. */
  static Optional<RunEntity> take(Session s, String runId) {
    Optional<RunEntity> found =
        Optional.ofNullable(s.find(RunEntity.class, runId, LockMode.PESSIMISTIC_WRITE))
            .filter(run -> run.endedAt == null);
    found.ifPresent(run -> run.epoch = nextEpoch(s));
    return found;
  }

  /** Higher than that of any run that was taken before, whoever took it. */
  static long nextEpoch(Session s) {
    return ((Number)
            s.createNativeQuery("select nextval('run_epoch')", Object.class).getSingleResult())
        .longValue();
  }

  private static RunEntity guarded(Session session, RunEntity run) {
    RunEntity fresh = session.find(RunEntity.class, run.id, LockMode.PESSIMISTIC_WRITE);
    if (fresh.epoch != run.epoch) {
      throw new Work.StaleEpoch(run.id);
    }
    return fresh;
  }

  void tell(Session s, RunEntity run, String kind, String text, Object data) {
    events.tell(s, kind, run.subjectId, run.id, text, data);
  }

  static void add(Session session, String run, int number, Step step) {
    StepEntity row = new StepEntity();
    row.runId = run;
    row.number = number;
    row.name = step.name();
    row.title = step.title();
    row.state = StepState.WAITING;
    row.detail = "";
    session.persist(row);
  }

  /** A step that is done, with what is stored together with its end; that gives the detail. */
  record Finished(StepEntity row, Function<Session, String> work) {}

  /**
   * Records that a step is done, if there is one, and begins the next or ends the run, in one
   * transaction. The next is not begun if somebody asked that the run is stopped.
   */
  Next next(RunEntity run, @Nullable Finished finished, List<Step> steps) {
    return db.tx(s -> next(s, run, finished, steps));
  }

  private Next next(Session s, RunEntity run, @Nullable Finished finished, List<Step> steps) {
    RunEntity fresh = guarded(s, run);
    run.stopBy = fresh.stopBy;
    if (finished != null) {
      finish(s, run, finished.row, finished.work.apply(s));
    }
    keep(run, fresh);
    StepEntity row = firstNotDone(s, run, steps);
    if (row == null) {
      return new Next(run, null, end(s, run));
    }
    if (run.stopBy.isEmpty() || run.state == RunState.BACKING_OUT) {
      begin(s, run, row);
    }
    return new Next(run, row, null);
  }

  /** Stores the notes that were left for the step's end. */
  private static void keep(RunEntity run, RunEntity fresh) {
    if (run.notesLeft) {
      fresh.notes = run.notes;
      run.notesLeft = false;
    }
  }

  /**
   * Brings the recorded steps of a run in line with its kind's, which a newer version of the
   * program may have changed, and gives the first that is not done; null if all are.
   */
  private static @Nullable StepEntity firstNotDone(Session s, RunEntity run, List<Step> steps) {
    boolean backing = run.state == RunState.BACKING_OUT;
    List<StepEntity> rows =
        Db.list(
            s,
            StepEntity.class,
            "from StepEntity where runId = ?1 and "
                + (backing ? "number >= ?2" : "number < ?2")
                + " order by number",
            run.id,
            BACK_OUT);
    List<String> names = rows.stream().map(r -> r.name).toList();
    List<String> order =
        StepOrder.of(
            rows.stream()
                .map(r -> new StepOrder.Recorded(r.name, r.state == StepState.DONE))
                .toList(),
            steps.stream().map(Step::name).toList());
    if (!order.equals(names)) {
      rows = renumber(s, run, backing ? BACK_OUT : 1, rows, order, steps);
    }
    return rows.stream().filter(r -> r.state != StepState.DONE).findFirst().orElse(null);
  }

  private static List<StepEntity> renumber(
      Session s,
      RunEntity run,
      int base,
      List<StepEntity> rows,
      List<String> order,
      List<Step> steps) {
    Map<String, StepEntity> known = new HashMap<>();
    for (StepEntity row : rows) {
      known.put(row.name, row);
      s.remove(row);
    }
    s.flush();
    s.clear();
    List<StepEntity> fresh = new ArrayList<>();
    for (String name : order) {
      StepEntity row = known.get(name);
      if (row == null) {
        Step step = steps.stream().filter(x -> x.name().equals(name)).findFirst().orElseThrow();
        row = new StepEntity();
        row.runId = run.id;
        row.name = name;
        row.title = step.title();
        row.state = StepState.WAITING;
        row.detail = "";
      }
      row.number = base + fresh.size();
      s.persist(row);
      fresh.add(row);
    }
    return fresh;
  }

  /** Begins a step that {@link #next} did not. */
  void begin(RunEntity run, StepEntity row) {
    db.run(
        s -> {
          guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          begin(s, run, step);
          row.startedAt = step.startedAt;
        });
  }

  private void begin(Session s, RunEntity run, StepEntity step) {
    if (step.startedAt == null) {
      step.startedAt = clock.instant();
      step.state = StepState.RUNNING;
      tell(s, run, "step", step.title, null);
    }
    step.attempts++;
  }

  void note(RunEntity run, StepEntity row, String detail) {
    db.run(
        s -> {
          RunEntity fresh = guarded(s, run);
          run.stopBy = fresh.stopBy;
          keep(run, fresh);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          row.detail = detail;
          if (!step.detail.equals(detail)) {
            step.detail = detail;
            tell(s, run, "step", step.title + ": " + detail, null);
          }
        });
  }

  private void finish(Session s, RunEntity run, StepEntity row, String detail) {
    StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
    step.state = StepState.DONE;
    step.detail = detail;
    step.endedAt = clock.instant();
    tell(s, run, "step", step.title + (detail.isEmpty() ? "" : ": " + detail), null);
  }

  /** A step failed for good: the run backs out. */
  void giveIn(RunEntity run, StepEntity row, Problem problem, String detail, List<Step> backOut) {
    db.run(
        s -> {
          RunEntity fresh = guarded(s, run);
          StepEntity step = s.find(StepEntity.class, new StepId(run.id, row.number));
          step.state = StepState.FAILED;
          step.detail = detail;
          step.endedAt = clock.instant();
          fail(s, fresh, problem, backOut);
        });
    run.state = RunState.BACKING_OUT;
    run.problem = Json.text(problem);
  }

  void fail(Session s, RunEntity run, Problem problem, List<Step> backOut) {
    run.state = RunState.BACKING_OUT;
    run.problem = Json.text(problem);
    int number = BACK_OUT;
    for (Step step : backOut) {
      add(s, run.id, number++, step);
    }
    tell(s, run, "run", run.title + " failed: " + problem.detail(), problem);
  }

  /** Ends a run; gives the id of the run that waits for it, or null. */
  private @Nullable String end(Session s, RunEntity run) {
    RunEntity fresh = s.find(RunEntity.class, run.id);
    fresh.state = run.state == RunState.BACKING_OUT ? RunState.FAILED : RunState.DONE;
    fresh.endedAt = clock.instant();
    s.createNativeMutationQuery("delete from run_machine where run_id = ?1")
        .setParameter(1, run.id)
        .executeUpdate();
    tell(s, run, told(run), run.title + " " + fresh.state.word(), null);
    if (fresh.parentId != null) {
      ScheduledTasks.by(s, TASK, fresh.parentId, clock.instant());
    }
    return fresh.parentId;
  }

  /** The kind of the events that tell of a run as a whole. */
  static String told(RunEntity run) {
    return run.routine ? run.kind : "run";
  }

  void notes(RunEntity run, Function<Session, String> make) {
    run.notes =
        db.tx(
            s -> {
              String notes = make.apply(s);
              guarded(s, run).notes = notes;
              return notes;
            });
    run.notesLeft = false;
  }

  void result(RunEntity run, String result) {
    db.run(s -> guarded(s, run).result = result);
  }
}
