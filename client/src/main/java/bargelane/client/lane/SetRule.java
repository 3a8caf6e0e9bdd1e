package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.client.Answer;
import bargelane.client.ApiClient;
import bargelane.client.Common;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

/** Decide something for a lane, or for some of its machines. */
@Command(
    name = "set",
    description = {
      "Decide something for a lane, or for some of its machines.",
      "The decision for the more specific thing counts: card or disk, role, machine, wave, label, network or storage, lane.",
      "'lane settings LANE' lists what can be decided and what the target takes."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane set mill-to-marsh class=mud --label role=archive",
      "  bargelane lane set mill-to-marsh address=10.20.1.90 --card print-server/0"
    })
final class SetRule extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Parameters(
      index = "1..*",
      arity = "1..*",
      paramLabel = "SETTING=VALUE",
      description = "What to decide; may be repeated.")
  Map<String, String> settings;

  @Mixin RuleTarget target;

  @Override
  public Integer call() {
    List<RuleChange> changes = new ArrayList<>();
    for (Map.Entry<String, String> e : settings.entrySet()) {
      if (e.getValue().isBlank()) {
        throw new Common.UsageException(
            "'" + e.getKey() + "' has no value: give one, or take it back with lane unset");
      }
      changes.add(target.change(e.getKey(), e.getValue()));
    }
    return LanePrinter.print(this, decide(api(), name, changes));
  }

  static Answer<LaneView> decide(ApiClient api, String lane, List<RuleChange> changes) {
    return api.put(
        "/lanes/" + Common.escape(lane) + "/rules", new RuleChanges(changes), LaneView.class);
  }
}
