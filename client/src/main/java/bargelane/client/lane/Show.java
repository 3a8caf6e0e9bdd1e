package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show a lane, both directions. */
@Command(
    name = "show",
    description = "Show a lane, both directions.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane show mill-to-marsh"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    return LanePrinter.print(this, api().get("/lanes/" + escape(name), LaneView.class));
  }
}
