package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessmentView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List assessments, the newest revision of each. */
@Command(
    name = "list",
    description = "List assessments, the newest revision of each.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment list"})
final class ListAssessments extends Common implements Callable<Integer>, Tabled {

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/assessments", AssessmentView.class),
        "No assessments yet. Make one: bargelane assessment add --target SITE --filter \"site = SITE\"",
        text("NAME", AssessmentView::name),
        text("TARGET", AssessmentPrinter::target),
        number("REVISION", AssessmentView::revision),
        time("AT", AssessmentView::at),
        number("MACHINES", AssessmentView::count),
        text("CONFIGURED", a -> plain(a.configured().monthly())),
        text("OBSERVED", a -> plain(a.observed().monthly())),
        text("CURRENCY", AssessmentView::currency));
    return 0;
  }
}
