package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;

/** A run for people. */
final class RunPrinter {

  private RunPrinter() {}

  /** Prints; 1 if the run failed. */
  static int print(Common c, JsonNode run) {
    if (c.output == Output.Form.json) {
      Output.json(c.out(), run);
    } else {
      c.out()
          .println(
              run.path("title").asText()
                  + " ("
                  + run.path("id").asText()
                  + "): "
                  + run.path("state").asText());
      Output.rows(
          c.out(),
          Output.Form.table,
          run.path("steps"),
          "No steps.",
          Output.number("NO", "number"),
          Output.text("STATE", "state"),
          Output.text("STEP", "title"),
          Output.time("STARTED", "startedAt"),
          Output.text("DETAIL", "detail"));
      if (!run.path("problem").isNull()) {
        c.out().println("Failed: " + run.path("problem").path("detail").asText());
        c.out().println("Next:   " + run.path("problem").path("remedy").asText());
      }
    }
    return run.path("state").asText().equals("failed") ? 1 : 0;
  }
}
