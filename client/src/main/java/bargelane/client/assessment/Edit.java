package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessmentView;
import bargelane.client.Common;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Make a new revision with other assumptions; what is not given stays. */
@Command(
    name = "edit",
    description = "Make a new revision with other assumptions; what is not given stays.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane assessment edit estate --headroom 40 --why \"the board wants room\""
    })
final class Edit extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
  String name;

  @Option(names = "--why", paramLabel = "TEXT", description = "Why it is made.")
  String why = "";

  @Option(
      names = "--book",
      paramLabel = "BOOK",
      description = "Another price book; \"\" for the target's own prices.")
  String book;

  @Mixin AssumptionOptions assumptions;

  @Override
  public Integer call() {
    Map<String, Object> asked = new LinkedHashMap<>();
    asked.put("assumptions", assumptions.given());
    asked.put("why", why);
    if (book != null) {
      asked.put("book", book);
    }
    return AssessmentPrinter.print(
        this,
        api()
            .post(
                "/assessments/" + escape(name) + "/revisions",
                asked,
                AssessmentView.class,
                OfAssessment.LONG));
  }
}
