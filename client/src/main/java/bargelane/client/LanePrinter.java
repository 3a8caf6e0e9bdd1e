package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;

/** A lane for people: both directions and what it lacks. */
final class LanePrinter {

  private LanePrinter() {}

  static Map<String, String> merged(JsonNode before, Map<String, String> changes) {
    Map<String, String> all = new LinkedHashMap<>();
    before.fields().forEachRemaining(e -> all.put(e.getKey(), e.getValue().asText()));
    if (changes != null) {
      all.putAll(changes);
    }
    return all;
  }

  static int print(Common c, JsonNode lane) {
    if (c.output == Output.Form.json) {
      Output.json(c.out(), lane);
      return 0;
    }
    c.out()
        .println(
            "Lane "
                + lane.path("name").asText()
                + ": "
                + lane.path("from").asText()
                + " to "
                + lane.path("to").asText()
                + (lane.path("keepAddresses").asBoolean()
                    ? ", addresses kept where the subnet holds them"
                    : ""));
    joins(c, "network", lane.path("networks"));
    joins(c, "storage", lane.path("storages"));
    c.out()
        .println(
            "Back, from " + lane.path("to").asText() + " to " + lane.path("from").asText() + ":");
    joins(c, "network", lane.path("reverseNetworks"));
    joins(c, "storage", lane.path("reverseStorages"));
    Output.findings(c.out(), lane.path("findings"));
    return 0;
  }

  private static void joins(Common c, String kind, JsonNode joins) {
    joins
        .fields()
        .forEachRemaining(
            e -> c.out().println("  " + kind + " " + e.getKey() + " -> " + e.getValue().asText()));
  }
}
