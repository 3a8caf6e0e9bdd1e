package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessedMachineView;
import bargelane.client.Answer;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** One machine of a revision, with how every figure came about. */
@Command(
    name = "machine",
    description = "One machine of a revision, with how every figure came about.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment machine estate overdue-notices"})
final class Machine extends OfAssessment implements Callable<Integer> {
  @Parameters(index = "1", paramLabel = "MACHINE", description = "Name or id.")
  String machine;

  @Override
  public Integer call() {
    Answer<AssessedMachineView> m =
        api().get(path("/machines/" + escape(machine) + "?"), AssessedMachineView.class);
    if (output == Form.json) {
      json(out(), m.json());
    } else {
      AssessmentPrinter.machine(out(), m.value());
    }
    return 0;
  }
}
