package bargelane.client.approval;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Take back what you asked for. */
@Command(
    name = "withdraw",
    description = "Take back what you asked for.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane approval withdraw app-7k2m9q4trw"})
final class Withdraw extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "APPROVAL", description = "Id.")
  String id;

  @Override
  public Integer call() {
    api().delete("/approvals/" + escape(id));
    out().println(id + " is withdrawn.");
    return 0;
  }
}
