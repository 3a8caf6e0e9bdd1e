package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a lane that no wave uses. */
@Command(
    name = "remove",
    description = "Remove a lane that no wave uses.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane remove mill-to-marsh"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/lanes/" + escape(name));
    out().println("Lane " + name + " removed.");
    return 0;
  }
}
