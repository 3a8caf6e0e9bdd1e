package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.FindingView;
import bargelane.api.LaneView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.text.Counts;
import java.util.List;
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
    List<FindingView> lacks = lane.value().findings();
    if (output == Output.Form.json) {
      json(out(), lane.json());
    } else if (lacks.isEmpty()) {
      out().println("Lane " + lane.value().name() + " lacks nothing, in either direction.");
    } else {
      out()
          .println(
              "Lane " + lane.value().name() + " has " + Counts.of(lacks.size(), "finding") + ":");
      findings(out(), lacks);
    }
    return lacks.isEmpty() ? 0 : 1;
  }
}
