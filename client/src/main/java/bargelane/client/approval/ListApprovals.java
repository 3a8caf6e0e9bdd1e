package bargelane.client.approval;

import static bargelane.client.Output.*;

import bargelane.api.ApprovalView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List approvals, newest first. */
@Command(
    name = "list",
    description = "List approvals, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane approval list --open"})
final class ListApprovals extends Common implements Callable<Integer>, Tabled {
  @Option(
      names = "--wave",
      paramLabel = "WAVE",
      defaultValue = "",
      description = "Only of this wave.")
  String wave;

  @Option(names = "--open", description = "Only those that nobody has answered.")
  boolean open;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/approvals?wave=" + escape(wave) + "&open=" + open, ApprovalView.class),
        "Nothing is asked for. Ask: bargelane approval ask WAVE --for cutover",
        text("ID", ApprovalView::id),
        text("WAVE", ApprovalView::wave),
        text("FOR", ApprovalView::verb),
        text("STATE", ApprovalView::state),
        text("ASKED BY", ApprovalView::askedBy),
        time("ASKED", ApprovalView::askedAt),
        text("ANSWERED BY", ApprovalView::answeredBy),
        text("NOTE", ApprovalView::note));
    return 0;
  }
}
