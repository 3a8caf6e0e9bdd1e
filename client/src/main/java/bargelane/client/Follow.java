package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.PrintWriter;
import java.util.HashMap;
import java.util.Iterator;
import java.util.Map;
import java.util.function.Consumer;
import java.util.stream.Stream;

/** Follows a run by the service's events until it is over. Leaving off does not end the run. */
public final class Follow {

  private Follow() {}

  /**
   * Waits for the end and gives the finished run. {@code onChange} gets each line about a step
   * once.
   */
  public static JsonNode run(ApiClient api, String id, Consumer<String> onChange) {
    Map<String, String> told = new HashMap<>();
    while (true) {
      try (Stream<String> lines = api.events()) {
        JsonNode run = tell(api, id, told, onChange);
        if (!run.path("endedAt").isNull()) {
          return run;
        }
        for (Iterator<String> i = lines.iterator(); i.hasNext(); ) {
          String line = i.next();
          if (line.startsWith("data:")) {
            run = tell(api, id, told, onChange);
            if (!run.path("endedAt").isNull()) {
              return run;
            }
          }
        }
      } catch (RuntimeException e) {
        if (e instanceof ApiClient.UnreachableException
            || e instanceof ApiClient.ProblemException) {
          throw e;
        }
        // The stream was cut: the run is looked at again over a new one.
      }
    }
  }

  private static JsonNode tell(
      ApiClient api, String id, Map<String, String> told, Consumer<String> onChange) {
    JsonNode run = api.get("/runs/" + id);
    for (JsonNode step : run.path("steps")) {
      String state = step.path("state").asText();
      String text = state + step.path("detail").asText();
      String key = step.path("number").asText();
      if (!state.equals("waiting") && !text.equals(told.put(key, text))) {
        String detail = step.path("detail").asText();
        onChange.accept(
            (state.equals("done")
                    ? "  done     "
                    : state.equals("failed") ? "  failed   " : "  running  ")
                + step.path("title").asText()
                + (detail.isEmpty() ? "" : ": " + detail));
      }
    }
    return run;
  }

  /**
   * Follows on a terminal or a log: one line a change. Exit code 0 if the run is done, 1 if it
   * failed.
   */
  static int print(ApiClient api, JsonNode started, PrintWriter out, PrintWriter err) {
    String id = started.path("id").asText();
    out.println(started.path("title").asText() + " (" + id + ")");
    Thread hint =
        new Thread(
            () -> err.println("The run goes on. Follow it: bargelane run show " + id + " --wait"));
    Runtime.getRuntime().addShutdownHook(hint);
    JsonNode run =
        run(
            api,
            id,
            line -> {
              out.println(line);
              out.flush();
            });
    Runtime.getRuntime().removeShutdownHook(hint);
    if (run.path("state").asText().equals("done")) {
      out.println("Done.");
      return 0;
    }
    JsonNode problem = run.path("problem");
    err.println("Failed: " + problem.path("detail").asText());
    err.println("Next:   " + problem.path("remedy").asText());
    return 1;
  }
}
