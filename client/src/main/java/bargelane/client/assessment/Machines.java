package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessedRow;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** The machines of a revision, both bases side by side. */
@Command(
    name = "machines",
    description = "The machines of a revision, both bases side by side.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment machines estate --verdict \"goes after\" --sort -observed"
    })
final class Machines extends OfAssessment implements Callable<Integer>, Tabled {
  @Option(
      names = "--verdict",
      paramLabel = "VERDICT",
      description = "goes, \"goes after\" or stays.")
  String verdict = "";

  @Option(
      names = "--reason",
      paramLabel = "REASON",
      description = "A finding's code, as boot-legacy.")
  String reason = "";

  @Option(names = "--find", paramLabel = "PART", description = "Part of the machine's name.")
  String find = "";

  @Option(
      names = "--sort",
      paramLabel = "COLUMN",
      description = "machine, verdict, configured, observed, saving or above; with - descending.")
  String sort = "machine";

  @Option(names = "--page", paramLabel = "N", description = "From 0 on.")
  int page;

  @Option(names = "--size", paramLabel = "N", description = "Lines of a page, up to 500.")
  int size = 100;

  @Override
  public Integer call() {
    Answer<Page<AssessedRow>> all =
        api()
            .page(
                path("/machines?")
                    + "&verdict="
                    + escape(verdict)
                    + "&reason="
                    + escape(reason)
                    + "&name="
                    + escape(find)
                    + "&sort="
                    + escape(sort)
                    + "&page="
                    + page
                    + "&size="
                    + size,
                AssessedRow.class);
    AssessmentPrinter.machines(this, all);
    return 0;
  }
}
