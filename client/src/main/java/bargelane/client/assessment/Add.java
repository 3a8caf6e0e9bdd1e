package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessmentView;
import bargelane.client.Answer;
import bargelane.client.Common;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Assess machines for a target, on both bases. */
@Command(
    name = "add",
    description = "Assess machines for a target, on both bases.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment add --target saltmarsh lending-db lending-app",
      "  bargelane assessment add --name estate --target saltmarsh --book saltmarsh-2026 --filter \"site = mill-street\""
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(paramLabel = "MACHINE", arity = "0..*", description = "Machines by name or id.")
  List<String> machines = List.of();

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      description = "Machines to assess; read anew for each revision.")
  String filter = "";

  @Option(names = "--name", paramLabel = "NAME", description = "Its name.")
  String name = "";

  @Option(names = "--target", paramLabel = "SITE", description = "Site to assess them for.")
  String target = "";

  @Option(
      names = "--book",
      paramLabel = "BOOK",
      description = "Price book; the target's own prices if left out.")
  String book = "";

  @Mixin AssumptionOptions assumptions;

  @Override
  public Integer call() {
    Answer<AssessmentView> made =
        api()
            .post(
                "/assessments",
                Map.of(
                    "name",
                    name,
                    "machines",
                    machines,
                    "filter",
                    filter,
                    "target",
                    target,
                    "book",
                    book,
                    "assumptions",
                    assumptions.given()),
                AssessmentView.class,
                OfAssessment.LONG);
    return AssessmentPrinter.print(this, made);
  }
}
