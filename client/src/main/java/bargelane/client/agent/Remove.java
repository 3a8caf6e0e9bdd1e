package bargelane.client.agent;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Take an agent from a site: it is refused from now on. */
@Command(
    name = "remove",
    description = "Take an agent from a site: it is refused from now on.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane agent remove annexes ag-4k2m7p"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Parameters(index = "1", paramLabel = "AGENT", description = "Its id, or its machine's name.")
  String agent;

  @Override
  public Integer call() {
    api().delete("/sites/" + escape(site) + "/agents/" + escape(agent));
    out()
        .println(
            agent
                + " is not an agent of "
                + site
                + " any more. On its machine, the line that installed it takes it away: … | sh -s remove");
    return 0;
  }
}
