package bargelane.client.lane;

import bargelane.api.LaneView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.TreeMap;

/** A lane for people: both directions and what it lacks. */
final class LanePrinter {

  private LanePrinter() {}

  static Map<String, String> merged(Map<String, String> before, Map<String, String> changes) {
    Map<String, String> all = new LinkedHashMap<>(before);
    if (changes != null) {
      all.putAll(changes);
    }
    return all;
  }

  static int print(Common c, Answer<LaneView> answer) {
    LaneView lane = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
      return 0;
    }
    c.out()
        .println(
            "Lane "
                + lane.name()
                + ": "
                + lane.from()
                + " to "
                + lane.to()
                + (lane.keepAddresses() ? ", addresses kept where the subnet holds them" : ""));
    joins(c, "network", lane.networks());
    joins(c, "storage", lane.storages());
    c.out().println("Back, from " + lane.to() + " to " + lane.from() + ":");
    joins(c, "network", lane.reverseNetworks());
    joins(c, "storage", lane.reverseStorages());
    Output.findings(c.out(), lane.findings());
    return 0;
  }

  private static void joins(Common c, String kind, Map<String, String> joins) {
    new TreeMap<>(joins)
        .forEach((from, to) -> c.out().println("  " + kind + " " + from + " -> " + to));
  }
}
