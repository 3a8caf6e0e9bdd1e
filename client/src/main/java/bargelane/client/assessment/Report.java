package bargelane.client.assessment;

import static bargelane.client.Output.*;

import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** A revision as one HTML page to print or to send. */
@Command(
    name = "report",
    description = "A revision as one HTML page to print or to send.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment report estate --file estate.html"})
final class Report extends OfAssessment implements Callable<Integer> {
  @Option(names = "--file", paramLabel = "FILE", description = "Where it is written.")
  Path file;

  @Override
  public Integer call() {
    return AssessmentPrinter.keep(this, file, api().text(path("/report?")));
  }
}
