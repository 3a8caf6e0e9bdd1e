package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessmentComparison;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Two revisions side by side, of one assessment or of two. */
@Command(
    name = "compare",
    description = "Two revisions side by side, of one assessment or of two.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment compare estate --from 1 --to 2",
      "  bargelane assessment compare estate --with estate-fenwater"
    })
final class Compare extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
  String name;

  @Option(
      names = "--from",
      paramLabel = "REVISION",
      description = "The former revision; the newest if left out.")
  int from;

  @Option(
      names = "--to",
      paramLabel = "REVISION",
      description = "The latter revision; the newest if left out.")
  int to;

  @Option(
      names = "--with",
      paramLabel = "ASSESSMENT",
      description = "The assessment of the latter; the same if left out.")
  String with = "";

  @Option(names = "--basis", paramLabel = "BASIS", description = "configured or observed.")
  String basis = "observed";

  @Override
  public Integer call() {
    Answer<AssessmentComparison> c =
        api()
            .get(
                "/assessments/"
                    + escape(name)
                    + "/comparison?from="
                    + from
                    + "&to="
                    + to
                    + "&with="
                    + escape(with)
                    + "&basis="
                    + escape(basis),
                AssessmentComparison.class);
    AssessmentPrinter.comparison(this, c);
    return 0;
  }
}
