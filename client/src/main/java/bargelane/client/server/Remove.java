package bargelane.client.server;

import static bargelane.client.Output.*;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Take a server from a site. */
@Command(
    name = "remove",
    description = "Take a server from a site.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane server remove branches 10.20.9.7"})
final class Remove extends OfServers implements Callable<Integer> {
  @Parameters(index = "1", paramLabel = "ADDRESS", description = "As the list shows it.")
  String address;

  @Override
  public Integer call() {
    api().delete(path(address));
    out().println(address + " is not a server of " + site + " any more.");
    return 0;
  }
}
