package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Duration;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.Locale;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** What a machine used over a window of time. */
@Command(
    name = "usage",
    description = {
      "Show what a machine used over a window of time: mean, percentile and maximum of five-minute samples, and how much of the window has samples."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane machine usage overdue-notices --days 40 --percentile 99"
    })
final class UsageCommand extends Common implements Callable<Integer> {

  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String name;

  @Option(names = "--days", description = "Length of the window up to now or --to (default: 30).")
  Integer days;

  @Option(
      names = "--from",
      defaultValue = "",
      description = "Beginning of the window, as 2026-11-01T00:00:00Z.")
  String from;

  @Option(names = "--to", defaultValue = "", description = "End of the window (default: now).")
  String to;

  @Option(
      names = "--percentile",
      defaultValue = "95",
      description = "Above 0, up to 100 (default: ${DEFAULT-VALUE}).")
  String percentile;

  @Option(
      names = "--points",
      defaultValue = "0",
      description = "With JSON: so many stretches of each metric's course at most.")
  int points;

  @Override
  public Integer call() {
    if (days != null && !from.isEmpty()) {
      throw wrong("Give --days or --from, not both.");
    }
    String begin = from;
    if (days != null) {
      try {
        Instant end = to.isEmpty() ? Instant.now() : Instant.parse(to);
        begin = end.minus(Duration.ofDays(days)).toString();
      } catch (DateTimeParseException e) {
        throw wrong("'" + to + "' is not an instant; write it as 2026-11-01T00:00:00Z.");
      }
    }
    JsonNode usage =
        api()
            .get(
                "/machines/"
                    + escape(name)
                    + "/usage?from="
                    + escape(begin)
                    + "&to="
                    + escape(to)
                    + "&percentile="
                    + escape(percentile)
                    + "&points="
                    + points);
    if (output == Output.Form.json) {
      json(out(), usage);
      return 0;
    }
    if (output == Output.Form.table) {
      head(usage);
    }
    String at = "P" + plainNumber(usage.path("percentile").asDouble());
    rows(
        out(),
        output,
        usage.path("metrics"),
        "Scan its site to read what there is: bargelane site scan NAME",
        text("METRIC", "metric"),
        figure("MEAN", "mean"),
        new Column(at, UsageCommand::percentile, true),
        figure("MAXIMUM", "maximum"),
        time("MAXIMUM AT", "maximumAt"),
        new Column(
            "ABOVE " + at, m -> hours(Duration.ofSeconds(m.path("aboveSeconds").asLong())), true));
    return 0;
  }

  private ParameterException wrong(String why) {
    return new ParameterException(spec.commandLine(), why);
  }

  private void head(JsonNode usage) {
    int gaps = usage.path("gaps").size();
    out()
        .println(
            usage.path("machine").asText()
                + ", "
                + usage.path("configured").path("cpus").asInt()
                + " processors, "
                + size(usage.path("configured").path("memoryBytes").asLong())
                + " of memory; "
                + local(usage.path("from").asText())
                + " to "
                + local(usage.path("to").asText()));
    out()
        .println(
            String.format(
                Locale.ROOT,
                "%,d of %,d five-minute samples are held (%.1f %%)%s",
                usage.path("held").asInt(),
                usage.path("expected").asInt(),
                100.0 * usage.path("held").asInt() / Math.max(1, usage.path("expected").asInt()),
                gaps == 0 ? "" : gaps == 1 ? ", 1 gap" : ", " + gaps + " gaps"));
    usage.path("warnings").forEach(w -> out().println("note: " + w.asText()));
    out().println();
  }

  private static String percentile(JsonNode m) {
    String unit = m.path("unit").asText();
    String value = figure(m.path("percentile").asDouble(), unit);
    String below = figure(m.path("percentileBelow").asDouble(), unit);
    String above = figure(m.path("percentileAbove").asDouble(), unit);
    return below.equals(value) && above.equals(value)
        ? value
        : value + " (" + below + " to " + above + ")";
  }

  private static Column figure(String head, String field) {
    return new Column(head, m -> figure(m.path(field).asDouble(), m.path("unit").asText()), true);
  }

  /** A value with its unit. */
  static String figure(double value, String unit) {
    return switch (unit) {
      case "bytes" -> size((long) value);
      case "bytes/s" -> size((long) value) + "/s";
      default ->
          String.format(Locale.ROOT, value < 10 ? "%.2f" : "%.0f", value)
              + (unit.equals("processors") ? " CPU" : unit);
    };
  }

  private static String hours(Duration time) {
    return time.toHours() > 0
        ? time.toHours() + " h " + time.toMinutesPart() + " min"
        : time.toMinutes() + " min";
  }

  private static String plainNumber(double value) {
    return value == Math.rint(value) ? String.valueOf((long) value) : String.valueOf(value);
  }
}
