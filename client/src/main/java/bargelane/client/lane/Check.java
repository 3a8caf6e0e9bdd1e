package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.client.Answer;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what a lane lacks; exit 1 if it lacks something. */
@Command(
    name = "check",
    description = "List what a lane lacks; exit 1 if it lacks something.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane check mill-to-marsh"})
final class Check extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    Answer<LaneView> lane = api().get("/lanes/" + escape(name), LaneView.class);
    LanePrinter.print(this, lane);
    return lane.value().findings().isEmpty() ? 0 : 1;
  }
}
