package bargelane.client;

import bargelane.api.PassView;
import bargelane.api.Problem;
import bargelane.api.RunView;
import bargelane.api.StepView;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import java.util.HashMap;
import java.util.Iterator;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import java.util.stream.Stream;

/** Follows a run by the service's events until it is over. Leaving off does not end the run. */
public final class Follow {

  private Follow() {}

  /**
   * How long a service that went away is waited for: it takes its runs up again when it comes back.
   */
  private static final long PATIENCE_NS = TimeUnit.SECONDS.toNanos(60);

  /**
   * Waits for the end and gives the finished run. {@code onChange} gets each line about a step
   * once.
   */
  public static Answer<RunView> run(ApiClient api, String id, Consumer<String> onChange) {
    return run(api, id, onChange, () -> {});
  }

  private static Answer<RunView> run(
      ApiClient api, String id, Consumer<String> onChange, Runnable onProgress) {
    Map<Integer, String> told = new HashMap<>();
    long answered = System.nanoTime();
    boolean away = false;
    while (true) {
      try (Stream<String> lines = api.events()) {
        Answer<RunView> run = tell(api, id, told, onChange);
        answered = System.nanoTime();
        away = false;
        if (run.value().endedAt() != null) {
          return run;
        }
        for (Iterator<String> i = lines.iterator(); i.hasNext(); ) {
          String line = i.next();
          // An event of this run, or the comment by which the service says that it is still there.
          if (line.startsWith(":") || line.startsWith("data:") && line.contains('"' + id + '"')) {
            run = tell(api, id, told, onChange);
            answered = System.nanoTime();
            if (run.value().endedAt() != null) {
              return run;
            }
          }
          if (line.startsWith("data:") && line.contains("\"progress\"")) {
            onProgress.run();
          }
        }
      } catch (ApiClient.UnreachableException
          | UncheckedIOException
          | ApiClient.ProblemException e) {
        // A service whose database is away says so, and goes on when it is back.
        if (e instanceof ApiClient.ProblemException p && p.problem().status() != 503) {
          throw e;
        }
        if (System.nanoTime() - answered > PATIENCE_NS) {
          throw e;
        }
        if (!away) {
          onChange.accept("  the service does not answer; the run is followed on when it is back");
          away = true;
        }
        pause();
      }
    }
  }

  /** A moment before a service that is away is asked again. */
  private static void pause() {
    try {
      TimeUnit.MILLISECONDS.sleep(500);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("interrupted", e);
    }
  }

  private static Answer<RunView> tell(
      ApiClient api, String id, Map<Integer, String> told, Consumer<String> onChange) {
    Answer<RunView> run = api.get("/runs/" + id, RunView.class);
    for (StepView step : run.value().steps()) {
      String state = step.state();
      String text = state + step.detail();
      Integer key = step.number();
      if (!state.equals("waiting") && !text.equals(told.put(key, text))) {
        String detail = step.detail();
        onChange.accept(
            (state.equals("done")
                    ? "  done     "
                    : state.equals("failed") ? "  failed   " : "  running  ")
                + step.title()
                + (detail.isEmpty() ? "" : ": " + detail));
      }
    }
    return run;
  }

  /**
   * Follows on a terminal or a log: one line a change, and on a terminal a bar for each machine of
   * a pass that runs. Exit code 0 if the run is done, 1 if it failed.
   */
  public static int print(ApiClient api, RunView started, PrintWriter out, PrintWriter err) {
    String id = started.id();
    out.println(started.title() + " (" + id + ")");
    Thread hint =
        new Thread(
            () -> err.println("The run goes on. Follow it: bargelane run show " + id + " --wait"));
    Runtime.getRuntime().addShutdownHook(hint);
    Bars bars =
        System.console() != null && started.subjectKind().equals("wave") ? new Bars(out) : null;
    String passes = "/waves/" + Common.escape(started.subject()) + "/passes?size=1";
    RunView run =
        run(
                api,
                id,
                line -> {
                  if (bars != null) {
                    bars.clear();
                  }
                  out.println(line);
                  out.flush();
                },
                () -> {
                  if (bars != null) {
                    bars.draw(api.list(passes, PassView.class).value());
                  }
                })
            .value();
    if (bars != null) {
      bars.clear();
    }
    Runtime.getRuntime().removeShutdownHook(hint);
    if (run.state().equals("done")) {
      out.println("Done.");
      return 0;
    }
    Problem problem = run.problem();
    if (problem.code().equals("stopped")) {
      err.println("Stopped: " + problem.detail());
      return 1;
    }
    err.println("Failed: " + problem.detail());
    err.println("Next:   " + Remedies.text(problem.remedy()));
    return 1;
  }
}
