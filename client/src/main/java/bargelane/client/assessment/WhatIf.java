package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.WhatIfView;
import bargelane.client.Answer;
import bargelane.client.Tabled;
import bargelane.text.Counts;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Cost and machines above their size for every combination of choices. */
@Command(
    name = "what-if",
    description = "Cost and machines above their size for every combination of choices.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment what-if estate --percentiles 90,95,99,100 --headrooms 0,10,20,30"
    })
final class WhatIf extends OfAssessment implements Callable<Integer>, Tabled {
  @Option(
      names = "--percentiles",
      paramLabel = "PERCENT",
      split = ",",
      description = "Percentiles of the samples.")
  List<Double> percentiles = List.of(50.0, 75.0, 90.0, 95.0, 99.0, 100.0);

  @Option(
      names = "--headrooms",
      paramLabel = "PERCENT",
      split = ",",
      description = "Percent, of all resources alike.")
  List<Double> headrooms = List.of();

  @Option(
      names = "--commitments",
      paramLabel = "COMMITMENT",
      split = ",",
      description = "none, \"1 year\", \"3 years\".")
  List<String> commitments = List.of();

  @Option(names = "--hours", paramLabel = "HOURS", split = ",", description = "Hours a week.")
  List<BigDecimal> hours = List.of();

  @Override
  public Integer call() {
    Answer<WhatIfView> answer =
        api()
            .post(
                "/assessments/" + escape(name) + "/what-if",
                Map.of(
                    "revision",
                    revision,
                    "percentiles",
                    percentiles,
                    "headrooms",
                    headrooms,
                    "commitments",
                    commitments,
                    "hoursAWeek",
                    hours),
                WhatIfView.class,
                OfAssessment.LONG);
    WhatIfView grid = answer.value();
    if (output == Form.json) {
      json(out(), answer.json());
      return 0;
    }
    rows(
        out(),
        output,
        grid.points(),
        "",
        text("PERCENTILE", p -> "P" + AssessmentPrinter.trim(p.percentile())),
        text("HEADROOM", p -> AssessmentPrinter.trim(p.headroomPercent()) + " %"),
        text("COMMITMENT", WhatIfView.PointView::commitment),
        number("HOURS A WEEK", WhatIfView.PointView::hoursAWeek),
        number(grid.currency() + " A MONTH", WhatIfView.PointView::monthly),
        number("ABOVE THEIR SIZE", WhatIfView.PointView::above),
        text("HOURS ABOVE", p -> AssessmentPrinter.one(p.aboveHours())),
        number("UNSIZED", WhatIfView.PointView::unsized),
        text("", p -> p.edge() ? "on the edge" : ""));
    if (output == Form.table) {
      out()
          .println(
              "Of the "
                  + Counts.of(grid.compared(), "machine that has", "machines that have")
                  + " a size at every choice, of "
                  + grid.machines()
                  + ". On the edge: no other choice here is both cheaper and less often above.");
    }
    return 0;
  }
}
