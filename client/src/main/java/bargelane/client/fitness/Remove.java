package bargelane.client.fitness;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove rules of the house. */
@Command(
    name = "remove",
    description = "Remove rules of the house.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane fitness remove house"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "NAME", description = "Name of the rules.")
  String name;

  @Override
  public Integer call() {
    api().delete("/fitness-rules/" + escape(name));
    out().println("Removed the rules " + name + ".");
    return 0;
  }
}
