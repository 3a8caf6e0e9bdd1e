package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove an assessment whose sizes nobody accepted, with all its revisions. */
@Command(
    name = "remove",
    description = "Remove an assessment whose sizes nobody accepted, with all its revisions.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment remove estate-fenwater"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/assessments/" + escape(name));
    out().println("Removed the assessment " + name + ".");
    return 0;
  }
}
