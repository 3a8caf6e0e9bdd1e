package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

/** Take a decision of a lane back. */
@Command(
    name = "unset",
    description = "Take a decision of a lane back: what is less specific counts again.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane unset mill-to-marsh address --card print-server/0"})
final class Unset extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Parameters(
      index = "1..*",
      arity = "1..*",
      paramLabel = "SETTING",
      description = "What to take back; may be repeated.")
  List<String> settings;

  @Mixin RuleTarget target;

  @Override
  public Integer call() {
    return LanePrinter.print(
        this,
        SetRule.decide(api(), name, settings.stream().map(s -> target.change(s, "")).toList()));
  }
}
