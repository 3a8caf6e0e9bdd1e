package bargelane.client.approval;

import static bargelane.client.Output.*;

import bargelane.api.ApprovalView;
import bargelane.client.Common;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Decline what was asked for. */
@Command(
    name = "decline",
    description = "Decline what was asked for. Nobody answers what they asked for.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane approval decline app-7k2m9q4trw --reason \"no night shift\""
    })
final class Decline extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "APPROVAL", description = "Id.")
  String id;

  @Option(names = "--reason", paramLabel = "TEXT", required = true, description = "Why.")
  String reason;

  @Override
  public Integer call() {
    return ApprovalPrinter.print(
        this,
        api()
            .post(
                "/approvals/" + escape(id) + "/answer",
                Map.of("approved", false, "reason", reason),
                ApprovalView.class));
  }
}
