package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.UsageView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.time.Duration;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.Locale;
import java.util.concurrent.Callable;
import java.util.function.ToDoubleFunction;
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
public final class Usage extends Common implements Callable<Integer>, Tabled {

  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String name;

  @Option(
      names = "--days",
      paramLabel = "DAYS",
      description = "Length of the window up to now or --to (default: 30).")
  Integer days;

  @Option(
      names = "--from",
      paramLabel = "TIME",
      defaultValue = "",
      description = "Beginning of the window, as 2026-11-01T00:00:00Z.")
  String from;

  @Option(
      names = "--to",
      paramLabel = "TIME",
      defaultValue = "",
      description = "End of the window (default: now).")
  String to;

  @Option(
      names = "--percentile",
      paramLabel = "PERCENT",
      defaultValue = "95",
      description = "Above 0, up to 100 (default: ${DEFAULT-VALUE}).")
  String percentile;

  @Option(
      names = "--points",
      paramLabel = "N",
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
    Answer<UsageView> answer =
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
                    + points,
                UsageView.class);
    UsageView usage = answer.value();
    if (output == Output.Form.json) {
      json(out(), answer.json());
      return 0;
    }
    if (output == Output.Form.table) {
      head(usage);
    }
    String at = "P" + plainNumber(usage.percentile());
    rows(
        out(),
        output,
        usage.metrics(),
        "Scan its site to read what there is: bargelane site scan NAME",
        text("METRIC", UsageView.MetricView::metric),
        figure("MEAN", UsageView.MetricView::mean),
        new Column<>(at, Usage::percentile, true),
        figure("MAXIMUM", UsageView.MetricView::maximum),
        time("MAXIMUM AT", UsageView.MetricView::maximumAt),
        duration("ABOVE " + at, UsageView.MetricView::aboveSeconds));
    return 0;
  }

  private ParameterException wrong(String why) {
    return new ParameterException(spec.commandLine(), why);
  }

  private void head(UsageView usage) {
    int gaps = usage.gaps().size();
    out()
        .println(
            usage.machine()
                + ", "
                + usage.configured().cpus()
                + " processors, "
                + size(usage.configured().memoryBytes())
                + " of memory; "
                + local(usage.from())
                + " to "
                + local(usage.to()));
    out()
        .println(
            String.format(
                Locale.ROOT,
                "%,d of %,d five-minute samples are held (%.1f %%)%s",
                usage.held(),
                usage.expected(),
                100.0 * usage.held() / Math.max(1, usage.expected()),
                gaps == 0 ? "" : gaps == 1 ? ", 1 gap" : ", " + gaps + " gaps"));
    usage.warnings().forEach(w -> out().println("note: " + w));
    out().println();
  }

  private static String percentile(UsageView.MetricView m) {
    String unit = m.unit();
    String value = figure(m.percentile(), unit);
    String below = figure(m.percentileBelow(), unit);
    String above = figure(m.percentileAbove(), unit);
    return below.equals(value) && above.equals(value)
        ? value
        : value + " (" + below + " to " + above + ")";
  }

  private static Column<UsageView.MetricView> figure(
      String head, ToDoubleFunction<UsageView.MetricView> value) {
    return new Column<>(head, m -> figure(value.applyAsDouble(m), m.unit()), true);
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

  private static String plainNumber(double value) {
    return value == Math.rint(value) ? String.valueOf((long) value) : String.valueOf(value);
  }
}
