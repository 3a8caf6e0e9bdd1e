package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.FindingView;
import bargelane.api.LaneView;
import bargelane.api.PlacedView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.text.Counts;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what is in the way of a lane and of its machines; exit 1 if something blocks. */
@Command(
    name = "check",
    description =
        "List what is in the way of a lane and of its machines; exit 1 if something blocks.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane check mill-to-marsh"})
final class Check extends Common implements Callable<Integer> {
  /** Things that are named of many that meet one cause. */
  private static final int NAMED = 4;

  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  /** What has one cause, told once with all that it is about. */
  private static List<FindingView> together(List<FindingView> lane, List<PlacedView> machines) {
    Map<String, List<FindingView>> causes = new LinkedHashMap<>();
    lane.forEach(f -> causes.computeIfAbsent(key(f), k -> new ArrayList<>()).add(f));
    Set<String> whole = Set.copyOf(causes.keySet());
    for (PlacedView m : machines) {
      for (FindingView f : m.findings()) {
        // What the lane meets is not told again of each of its machines.
        if (!whole.contains(key(f))) {
          causes.computeIfAbsent(key(f), k -> new ArrayList<>()).add(f);
        }
      }
    }
    return causes.values().stream().map(Check::one).toList();
  }

  private static String key(FindingView f) {
    return f.code() + " " + f.cause();
  }

  private static FindingView one(List<FindingView> all) {
    FindingView f = all.get(0);
    List<String> things = all.stream().map(FindingView::thing).distinct().toList();
    String named = join(things.subList(0, Math.min(NAMED, things.size())), ", ");
    return new FindingView(
        f.code(),
        f.blocks(),
        things.size() > NAMED ? named + " and " + (things.size() - NAMED) + " more" : named,
        f.cause(),
        f.remedy(),
        f.who());
  }

  @Override
  public Integer call() {
    Answer<LaneView> lane = api().get("/lanes/" + escape(name), LaneView.class);
    Answer<List<PlacedView>> machines = PlanPages.all(api(), name, "", true);
    List<FindingView> all = together(lane.value().findings(), machines.value());
    long blocking = all.stream().filter(FindingView::blocks).count();
    if (output == Output.Form.json) {
      ObjectNode both = ((ObjectNode) lane.json()).deepCopy();
      both.set("machines", machines.json());
      json(out(), both);
    } else if (all.isEmpty()) {
      out()
          .println(
              "Lane " + lane.value().name() + " lacks nothing, and every machine has its place.");
    } else {
      out()
          .println(
              "Lane "
                  + lane.value().name()
                  + " has "
                  + Counts.of(all.size(), "finding")
                  + ", of which "
                  + Counts.of(blocking, "blocks", "block")
                  + ":");
      findings(out(), all);
    }
    return blocking == 0 ? 0 : 1;
  }
}
