package bargelane.client.server;

import static bargelane.client.Output.*;

import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Say which host key a server has: it is not talked to with another. */
@Command(
    name = "trust",
    description = "Say which host key a server has: it is not talked to with another.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane server trust branches 10.20.9.7 SHA256:x9Lw2oGpY1m8rTqVbN0cEzKfJhUaDsI5nMvQe7kRtWg"
    })
final class Trust extends OfServers implements Callable<Integer> {
  @Parameters(index = "1", paramLabel = "ADDRESS", description = "As the list shows it.")
  String address;

  @Parameters(
      index = "2",
      paramLabel = "FINGERPRINT",
      description = "As ssh-keygen -l shows it on that server.")
  String fingerprint;

  @Override
  public Integer call() {
    api().put(path(address), Map.of("hostKey", fingerprint));
    out().println(address + " is " + fingerprint + " from now on.");
    return 0;
  }
}
