package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;

/** A wave for people: each machine's gates, the exposure, the last pass, the points. */
final class WavePrinter {

  private WavePrinter() {}

  static int print(Common c, JsonNode w) {
    if (c.output == Output.Form.json) {
      Output.json(c.out(), w);
      return 0;
    }
    c.out()
        .println(
            "Wave "
                + w.path("name").asText()
                + ": "
                + w.path("from").asText()
                + " to "
                + w.path("to").asText()
                + ", "
                + w.path("state").asText());
    String exposure = Output.seconds(w.path("exposureSeconds"));
    Output.pairs(
        c.out(),
        "Timetable",
        w.path("timetable").asText()
            + ": a pass every "
            + Output.seconds(w.path("everySeconds"))
            + ", RPO "
            + Output.seconds(w.path("rpoSeconds"))
            + ", "
            + w.path("keepPoints").asInt()
            + " points kept",
        "Exposure",
        exposure.equals("-")
            ? "no recovery point yet"
            : exposure + (w.path("rpoHeld").asBoolean() ? ", RPO held" : ", over the RPO"),
        "Replication",
        w.path("leg").isNull()
            ? "none"
            : w.path("leg").path("from").asText()
                + " to "
                + w.path("leg").path("to").asText()
                + ", "
                + w.path("leg").path("state").asText(),
        "Next",
        w.path("nextAction").asText().isEmpty() ? "nothing" : w.path("nextAction").asText());
    c.out().println();
    gates(c, w);
    JsonNode p = w.path("lastPass");
    if (!p.isNull()) {
      c.out().println();
      c.out()
          .println(
              "Last pass: "
                  + p.path("number").asInt()
                  + ", "
                  + p.path("kind").asText()
                  + ", "
                  + p.path("state").asText()
                  + ", "
                  + Output.size(p.path("sent").asLong())
                  + " sent of "
                  + Output.size(p.path("total").asLong())
                  + " looked at"
                  + (p.path("problem").asText().isEmpty()
                      ? ""
                      : ", " + p.path("problem").asText()));
      c.out().println("Recovery points: " + w.path("points").size());
    }
    JsonNode d = w.path("divergence");
    if (!d.isNull()) {
      c.out()
          .println(
              "Since "
                  + d.path("commonPoint").asText()
                  + " "
                  + d.path("home").asText()
                  + " changed "
                  + Output.size(d.path("homeBytes").asLong())
                  + ", "
                  + d.path("away").asText()
                  + " "
                  + Output.size(d.path("awayBytes").asLong()));
    }
    for (JsonNode run : w.path("running")) {
      c.out()
          .println("Running: " + run.path("title").asText() + " (" + run.path("id").asText() + ")");
    }
    return 0;
  }

  private static void gates(Common c, JsonNode w) {
    int width = 7;
    for (JsonNode m : w.path("machines")) {
      width = Math.max(width, m.path("name").asText().length());
    }
    StringBuilder head =
        new StringBuilder("MACHINE" + " ".repeat(width - 7) + "  RANK  SIZE      ");
    w.path("machines")
        .path(0)
        .path("gates")
        .forEach(g -> head.append("  ").append(g.path("gate").asText()));
    c.out().println(head);
    for (JsonNode m : w.path("machines")) {
      StringBuilder line =
          new StringBuilder(
              String.format(
                  "%-" + width + "s  %4d  %-10s",
                  m.path("name").asText(),
                  m.path("rank").asInt(),
                  Output.plain(m.path("size"))));
      m.path("gates")
          .forEach(
              g ->
                  line.append("  ")
                      .append(
                          String.format(
                              "%-" + g.path("gate").asText().length() + "s",
                              g.path("open").asBoolean() ? "open" : "shut")));
      c.out().println(line.toString().stripTrailing());
    }
    for (JsonNode m : w.path("machines")) {
      for (JsonNode g : m.path("gates")) {
        if (!g.path("open").asBoolean()) {
          JsonNode f = g.path("shutBy").path(0);
          c.out()
              .println(
                  m.path("name").asText()
                      + " at '"
                      + g.path("gate").asText()
                      + "': "
                      + f.path("cause").asText()
                      + " -> "
                      + f.path("remedy").asText());
          break;
        }
      }
      for (JsonNode notice : m.path("notices")) {
        c.out()
            .println(
                m.path("name").asText()
                    + ", note: "
                    + notice.path("cause").asText()
                    + " -> "
                    + notice.path("remedy").asText());
      }
    }
  }
}
