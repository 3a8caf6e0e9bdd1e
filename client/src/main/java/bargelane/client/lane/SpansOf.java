package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.SpanView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List networks whose range is at both ends of a lane. */
@Command(
    name = "spans",
    description =
        "List networks whose range is at both ends of a lane, and what hangs on each. Machines of such a range reach each"
            + " other from different ends only where the network is extended between the sites; say so where it is."
            + " ACROSS counts pairs that were seen to talk and do not move in one wave. An extension can go when nobody"
            + " stays.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane spans mill-to-marsh",
      "  bargelane lane set mill-to-marsh span=extended --network staff"
    })
final class SpansOf extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/lanes/" + escape(name) + "/spans", SpanView.class),
        "No range of the source is at the target, too.",
        text("NETWORK", SpanView::network),
        text("RANGE", SpanView::range),
        text("SUBNET", SpanView::subnet),
        text("SPAN", SpanView::span),
        number("STAYING", SpanView::staying),
        number("MOVED", SpanView::moved),
        number("WAVES", SpanView::waves),
        number("ACROSS", SpanView::across));
    return 0;
  }
}
