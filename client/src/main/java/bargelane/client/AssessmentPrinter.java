package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;

/** An assessment for people, with how each figure came about. */
final class AssessmentPrinter {

  private AssessmentPrinter() {}

  static int print(Common c, JsonNode a) {
    if (c.output != Output.Form.table) {
      Output.rows(
          c.out(), c.output, c.output == Output.Form.json ? a : a.path("machines"), "", columns());
      return 0;
    }
    c.out()
        .println(
            "Assessment "
                + a.path("id").asText()
                + " for "
                + a.path("target").asText()
                + ", basis "
                + a.path("basis").asText());
    Output.rows(c.out(), Output.Form.table, a.path("machines"), "No machines.", columns());
    c.out()
        .println(
            "Total a month: " + a.path("monthly").asText() + " " + a.path("currency").asText());
    for (JsonNode m : a.path("machines")) {
      if (!m.path("derivation").asText().isEmpty()) {
        c.out().println(m.path("machine").asText() + ": " + m.path("derivation").asText());
      }
      Output.findings(c.out(), m.path("findings"));
    }
    return 0;
  }

  private static Output.Column[] columns() {
    return new Output.Column[] {
      Output.text("MACHINE", "machine"),
      Output.number("CPUS", "cpus"),
      Output.number("MEMORY MIB", "memoryMib"),
      Output.text("SIZE", "size"),
      Output.number("COMPUTE", "computeMonthly"),
      Output.number("MONTHLY", "monthly"),
      Output.text("CURRENCY", "currency")
    };
  }
}
