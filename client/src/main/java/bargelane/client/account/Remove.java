package bargelane.client.account;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove an account, its sessions and its tokens. */
@Command(
    name = "remove",
    description = "Remove an account, its sessions and its tokens.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane account remove ada"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "ACCOUNT", description = "Its name.")
  String name;

  @Override
  public Integer call() {
    api().delete("/accounts/" + escape(name));
    out().println("Account " + name + " removed; its sessions and tokens have ended.");
    return 0;
  }
}
