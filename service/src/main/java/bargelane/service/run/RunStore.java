package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.core.run.RunState;
import bargelane.core.run.StepOrder;
import bargelane.core.run.StepState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.jspecify.annotations.Nullable;

/** What is stored of runs while they are driven. Every write carries the run's epoch. */
final class RunStore {

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

  /** Takes a run to be driven, under a new epoch if it is not over; null if there is none. */
  RunEntity take(String runId) {
    return db.tx(
        s -> {
          RunEntity found = s.find(RunEntity.class, runId, LockMode.PESSIMISTIC_WRITE);
          if (found != null && found.endedAt == null) {
            found.epoch = nextEpoch(s);
          }
          return found;
        });
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

  /** What a step that is done came to. */
  record Finished(StepEntity row, String detail) {}

  /**
   * Records that a step is done, if there is one, and begins the next, in one transaction. Gives
   * the next; null if all are done. It is not begun if somebody asked that the run is stopped.
   */
  StepEntity next(RunEntity run, @Nullable Finished finished, List<Step> steps) {
    return db.tx(
        s -> {
          RunEntity fresh = guarded(s, run);
          run.stopBy = fresh.stopBy;
          keep(run, fresh);
          if (finished != null) {
            finish(s, run, finished);
          }
          StepEntity row = firstNotDone(s, run, steps);
          if (row != null && (run.stopBy.isEmpty() || run.state == RunState.BACKING_OUT)) {
            begin(s, run, row);
          }
          return row;
        });
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
          if (!step.detail.equals(detail)) {
            step.detail = detail;
            tell(s, run, "step", step.title + ": " + detail, null);
          }
        });
  }

  private void finish(Session s, RunEntity run, Finished f) {
    StepEntity step = s.find(StepEntity.class, new StepId(run.id, f.row.number));
    step.state = StepState.DONE;
    step.detail = f.detail;
    step.endedAt = clock.instant();
    tell(s, run, "step", step.title + (f.detail.isEmpty() ? "" : ": " + f.detail), null);
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
  String end(RunEntity run, RunState state, String eventKind) {
    return db.tx(
        s -> {
          RunEntity fresh = guarded(s, run);
          fresh.state = state;
          fresh.endedAt = clock.instant();
          s.createNativeMutationQuery("delete from run_machine where run_id = ?1")
              .setParameter(1, run.id)
              .executeUpdate();
          tell(s, run, eventKind, run.title + " " + state.word(), null);
          return fresh.parentId;
        });
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
