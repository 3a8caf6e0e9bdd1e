package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.client.Tabled;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Every line of cost as CSV, to a file or to the terminal. */
@Command(
    name = "costs",
    description = "Every line of cost as CSV, to a file or to the terminal.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment costs estate --form focus --file estate-focus.csv"
    })
final class Costs extends OfAssessment implements Callable<Integer>, Tabled {
  @Option(names = "--basis", paramLabel = "BASIS", description = "configured or observed.")
  String basis = "observed";

  @Option(
      names = "--form",
      paramLabel = "FORM",
      description = "own, or focus for the columns of FOCUS 1.0.")
  String form = "own";

  @Option(names = "--file", paramLabel = "FILE", description = "Where it is written.")
  Path file;

  @Override
  public Integer call() {
    String csv = api().text(path("/costs?") + "&basis=" + escape(basis) + "&form=" + escape(form));
    return AssessmentPrinter.keep(this, file, csv);
  }
}
