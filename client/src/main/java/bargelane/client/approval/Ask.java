package bargelane.client.approval;

import static bargelane.client.Output.*;

import bargelane.api.ApprovalView;
import bargelane.client.Common;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Ask for a move of a wave, as it is planned now, to be approved. */
@Command(
    name = "ask",
    description = "Ask for a move of a wave, as it is planned now, to be approved.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane approval ask lending --for cutover --note \"tested on Monday\""
    })
final class Ask extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
  String wave;

  @Option(
      names = "--for",
      paramLabel = "VERB",
      required = true,
      description = "cutover, failover, failback, undo or settle.")
  String verb;

  @Option(
      names = "--note",
      paramLabel = "TEXT",
      defaultValue = "",
      description = "What whoever answers is to know.")
  String note;

  @Override
  public Integer call() {
    return ApprovalPrinter.print(
        this,
        api()
            .post(
                "/waves/" + escape(wave) + "/approvals",
                Map.of("verb", verb, "note", note),
                ApprovalView.class));
  }
}
