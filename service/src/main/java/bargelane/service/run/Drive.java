package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.core.finding.Remedy;
import bargelane.core.run.RunState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Remedies;
import bargelane.sites.Acting;
import bargelane.sites.SiteException;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.Function;
import org.hibernate.Session;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A run driven by one node under one epoch: step after step, until one waits, all are done, or
 * somebody else has taken the run over.
 */
final class Drive {

  private static final Logger log = LoggerFactory.getLogger(Drive.class);

  /** How often the step of a run failed in a row, and since when, by the machine's own clock. */
  record Failures(String step, int count, long sinceNs) {}

  private final RunStore store;
  private final Map<String, Failures> failures;
  private final RunEntity run;
  private final RunKind kind;
  private final Work work;
  private RunStore.Next next;

  /** What the last step began has to come to something first. */
  private boolean begun;

  private Drive(
      RunStore store,
      Map<String, Failures> failures,
      Map<String, RunKind> kinds,
      RunStore.Next next) {
    this.store = store;
    this.failures = failures;
    this.run = next.run();
    this.kind = kinds.get(run.kind);
    this.work = new Work(store, run);
    this.next = next;
  }

  /** Takes a run; empty if there is none, or it is over. */
  static Optional<Drive> take(
      RunStore store, Map<String, Failures> failures, Map<String, RunKind> kinds, String runId) {
    return store
        .take(runId, run -> steps(run, kinds.get(run.kind), new Work(store, run)))
        .map(next -> new Drive(store, failures, kinds, next));
  }

  private static List<Step> steps(RunEntity run, RunKind kind, Work work) {
    return run.state == RunState.BACKING_OUT ? kind.backOut(work) : kind.steps(work);
  }

  /** For whom it works; a timetable's passes for nobody. */
  String worksFor() {
    return run.routine ? "" : run.startedBy;
  }

  /** The run that waits for this one, once it is over. */
  Optional<String> parent() {
    return Optional.ofNullable(next.parent());
  }

  /** Goes on; gives after which time to look again, none when the run is over. */
  Optional<Duration> on() {
    try {
      while (!next.over()) {
        boolean stopped = stopped();
        if (stopped && kind.holdsOn(work).isEmpty()) {
          giveIn(next.step(), stoppedBy(run), "not done");
          continue;
        }
        if (stopped) {
          store.begin(run, next.step());
        }
        begun = false;
        Optional<Outcome.Wait> waits = attempt(next.step());
        if (begun && !next.over() && !stopped()) {
          return Optional.of(Outcome.LOOK_AGAIN);
        }
        if (waits.isPresent()) {
          if (run.notesLeft || !waits.get().detail().equals(next.step().detail)) {
            store.note(run, next.step(), waits.get().detail());
          }
          if (stopped() && kind.holdsOn(work).isEmpty()) {
            continue; // It was stopped while the step was tried.
          }
          return Optional.of(waits.get().again());
        }
      }
      return Optional.empty();
    } catch (Work.StaleEpoch e) {
      log.info("{}", e.getMessage());
      return Optional.of(Duration.ZERO);
    }
  }

  /** Whether somebody asked that it is stopped, and it is not being backed out yet. */
  private boolean stopped() {
    return run.state != RunState.BACKING_OUT && !run.stopBy.isEmpty();
  }

  private static Problem stoppedBy(RunEntity run) {
    return new Problem(
        "about:blank",
        run.title + " stopped",
        409,
        RunEngine.STOPPED,
        run.stopBy + " stopped it",
        bargelane.api.Remedy.NONE);
  }

  /** One attempt at a step. Unless it waits, {@code next} is what comes then. */
  private Optional<Outcome.Wait> attempt(StepEntity row) {
    List<Step> steps = steps(run, kind, work);
    Step step = steps.stream().filter(x -> x.name().equals(row.name)).findFirst().orElseThrow();
    try {
      Outcome outcome =
          new Acting(
                  RunEngine.key(run.kind, run.subjectId),
                  run.epoch,
                  kind.changesMachines() || run.parentId != null)
              .run(() -> step.action().run(work));
      if (outcome instanceof Outcome.Wait wait) {
        failures.remove(run.id);
        return Optional.of(wait);
      }
      Function<Session, String> end =
          outcome instanceof Outcome.Commit commit
              ? commit.work()
              : s -> ((Outcome.Done) outcome).detail();
      next = store.next(run, new RunStore.Finished(row, end), steps);
      failures.remove(run.id);
      begun = outcome instanceof Outcome.Commit commit && commit.begun();
      return Optional.empty();
    } catch (Work.StaleEpoch e) {
      throw e;
    } catch (RuntimeException e) {
      Optional<String> database = Db.trouble(e);
      if (database.isPresent()) {
        return Optional.of(
            new Outcome.Wait("the database: " + database.get(), pause(counted(row))));
      }
      if (step.untilDone()) {
        boolean expected = e instanceof SiteException || e instanceof RunFailure;
        return Optional.of(
            new Outcome.Wait(
                expected
                    ? e.getMessage()
                    : internal(row, e) + " (entry " + logged(row, e) + " of its log)",
                pause(counted(row))));
      }
      return failed(row, steps, e);
    }
  }

  /** Counts a failure of a step. */
  private Failures counted(StepEntity row) {
    return failures.merge(
        run.id,
        new Failures(row.name, 1, System.nanoTime()),
        (a, b) -> a.step.equals(b.step) ? new Failures(a.step, a.count + 1, a.sinceNs) : b);
  }

  /**
   * Between two attempts at a step that fails: from 1 s to 8 s by how often it failed since it last
   * got on, and not the same for all that wait.
   */
  private static Duration pause(Failures now) {
    long most = 1000L << Math.min(now.count, 3);
    return Duration.ofMillis(most / 2 + ThreadLocalRandom.current().nextLong(most / 2 + 1));
  }

  private static String internal(StepEntity row, RuntimeException e) {
    return "the service failed at step '" + row.title + "': " + e.getClass().getSimpleName();
  }

  private String logged(StepEntity row, RuntimeException e) {
    String entry = Ids.next("log");
    log.error("{}: step {} of run {} failed", entry, row.name, run.id, e);
    return entry;
  }

  private Optional<Outcome.Wait> failed(
      StepEntity row, List<Step> steps, RuntimeException failure) {
    if (failure instanceof SiteException e && e.kind() == SiteException.Kind.MAY_PASS) {
      Failures now = counted(row);
      Duration tried = Duration.ofNanos(System.nanoTime() - now.sinceNs);
      // A site that has work for all its turns does answer: its calls end, and then it is asked.
      if (e.code().equals(SiteException.BUSY) || tried.compareTo(kind.patience()) < 0) {
        return Optional.of(new Outcome.Wait(e.getMessage(), pause(now)));
      }
    }
    Failure told = told(row, failure);
    if (run.state == RunState.BACKING_OUT) {
      // What could not be taken back stands in the ledger and is taken back as soon as it can be;
      // what must not be left is a step that is tried until it is done.
      next =
          store.next(run, new RunStore.Finished(row, s -> "left for later: " + told.detail), steps);
      return Optional.empty();
    }
    log.warn("run {} ({}) fails at '{}': {}", run.id, run.kind, row.title, told.detail);
    giveIn(
        row,
        new Problem(
            "about:blank",
            run.title + " failed",
            500,
            told.code,
            row.title + ": " + told.detail,
            Remedies.view(told.remedy)),
        told.detail);
    return Optional.empty();
  }

  private record Failure(String code, String detail, Remedy remedy) {}

  private Failure told(StepEntity row, RuntimeException failure) {
    if (failure instanceof SiteException e) {
      return new Failure(
          e.code(), e.getMessage(), Remedy.advice("mend the cause at the site and start it again"));
    }
    if (failure instanceof RunFailure e) {
      return new Failure(e.code(), e.getMessage(), e.remedy());
    }
    return new Failure(
        "internal",
        internal(row, failure),
        Remedy.advice("read entry " + logged(row, failure) + " of the service's log"));
  }

  /** Begins to back the run out. */
  private void giveIn(StepEntity row, Problem problem, String detail) {
    store.giveIn(run, row, problem, detail, kind.backOut(work));
    next = store.next(run, null, kind.backOut(work));
  }
}
