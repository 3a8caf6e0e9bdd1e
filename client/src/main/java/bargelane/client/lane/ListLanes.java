package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List lanes. */
@Command(
    name = "list",
    description = "List lanes.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane list"})
final class ListLanes extends Common implements Callable<Integer>, Tabled {

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/lanes", LaneView.class),
        "No lanes yet. Add one: bargelane lane add NAME --from SITE --to SITE",
        text("NAME", LaneView::name),
        text("FROM", LaneView::from),
        text("TO", LaneView::to),
        text("ZONE", LaneView::zone),
        text("NOT JOINED", l -> String.valueOf(l.findings().size())));
    return 0;
  }
}
