package bargelane.client.label;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a rule, and take its label from the machines that had it from there. */
@Command(
    name = "remove",
    description = "Remove a rule, and take its label from the machines that had it from there.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane label remove lr-4k2m7p"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "RULE", description = "Its id.")
  String rule;

  @Override
  public Integer call() {
    api().delete("/label-rules/" + escape(rule));
    out().println("Rule " + rule + " removed.");
    return 0;
  }
}
