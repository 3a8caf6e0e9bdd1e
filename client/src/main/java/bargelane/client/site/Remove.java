package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a site that no lane uses. */
@Command(
    name = "remove",
    description = "Remove a site that no lane uses.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site remove mill-street"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/sites/" + escape(name));
    out().println("Site " + name + " removed.");
    return 0;
  }
}
