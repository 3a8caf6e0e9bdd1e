package bargelane.client.point;

import static bargelane.client.Output.*;

import bargelane.api.PointView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List the recovery points of a wave, newest first. */
@Command(
    name = "list",
    description = "List the recovery points of a wave, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane point list lending"})
final class ListPoints extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/waves/" + escape(name) + "/points", PointView.class),
        "No recovery points yet.",
        number("NO", PointView::number),
        time("AS OF", PointView::asOf),
        text("AT", PointView::site),
        text("CONSISTENCY", PointView::consistency),
        text("ONE INSTANT", PointView::oneInstant),
        number("SPREAD MS", PointView::spreadMs),
        text("VERIFIED", PointView::verification),
        bytes("SENT", PointView::sent));
    return 0;
  }
}
