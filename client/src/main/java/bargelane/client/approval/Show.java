package bargelane.client.approval;

import static bargelane.client.Output.*;

import bargelane.api.ApprovalView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show what exactly an approval is of, and what has changed since. */
@Command(
    name = "show",
    description = "Show what exactly an approval is of, and what has changed since.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane approval show app-7k2m9q4trw"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "APPROVAL", description = "Id.")
  String id;

  @Override
  public Integer call() {
    return ApprovalPrinter.print(this, api().get("/approvals/" + escape(id), ApprovalView.class));
  }
}
