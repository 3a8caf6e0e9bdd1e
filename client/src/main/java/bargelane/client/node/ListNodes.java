package bargelane.client.node;

import static bargelane.client.Output.*;

import bargelane.api.NodeView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List the nodes of the service and what each does. */
@Command(
    name = "list",
    description = {
      "List the nodes of the service and what each does now.",
      "One that is silent was not stopped in order; one that was is not listed."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane node list"})
final class ListNodes extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/nodes", NodeView.class),
        "No node has shown itself yet.",
        text("NODE", NodeView::name),
        text("STATE", n -> n.lives() ? "serving" : "silent"),
        text("VERSION", NodeView::version),
        text("HOST", NodeView::host),
        text("ADDRESS", NodeView::address),
        time("SINCE", NodeView::startedAt),
        time("LAST HEARD OF", NodeView::heardAt),
        duration("CLOCK AHEAD", NodeView::clockAheadSeconds),
        number("PASSES", NodeView::passes),
        text("RUNS", n -> join(n.runs(), ", ")));
    return 0;
  }
}
