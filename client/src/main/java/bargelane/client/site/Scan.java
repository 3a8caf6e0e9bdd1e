package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Read the inventory. */
@Command(
    name = "scan",
    description = "Read the inventory.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site scan mill-street --wait"})
final class Scan extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Option(names = "--wait", description = "Follow the run until it is over.")
  boolean wait;

  @Override
  public Integer call() {
    return started(api().post("/sites/" + escape(name) + "/scan", null, RunView.class), wait);
  }
}
