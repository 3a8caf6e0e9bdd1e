package bargelane.client.credential;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a credential that no site uses. */
@Command(
    name = "remove",
    description = "Remove a credential that no site uses.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane credential remove old-scouts"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "CREDENTIAL", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/credentials/" + escape(name));
    out().println("Credential " + name + " removed.");
    return 0;
  }
}
