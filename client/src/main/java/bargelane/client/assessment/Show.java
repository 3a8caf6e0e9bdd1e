package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessmentView;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** Show a revision in sum. */
@Command(
    name = "show",
    description = "Show a revision in sum.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment show estate --revision 1"})
final class Show extends OfAssessment implements Callable<Integer> {
  @Override
  public Integer call() {
    return AssessmentPrinter.print(this, api().get(path("?"), AssessmentView.class));
  }
}
