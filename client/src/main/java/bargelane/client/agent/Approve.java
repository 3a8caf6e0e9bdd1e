package bargelane.client.agent;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Let an agent take the place of the one that its machine had before. */
@Command(
    name = "approve",
    description = {
      "Let an agent that waits take the place of the one that its machine had before.",
      "Do so only if you installed it there anew: an agent tells itself which machine it is on."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane agent approve annexes ag-4k2m7p"})
final class Approve extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Parameters(index = "1", paramLabel = "AGENT", description = "Its id.")
  String agent;

  @Override
  public Integer call() {
    api().post("/sites/" + escape(site) + "/agents/" + escape(agent) + "/approval", Map.of());
    out().println(agent + " takes the place of the agent that its machine had before.");
    return 0;
  }
}
