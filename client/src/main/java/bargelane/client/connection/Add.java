package bargelane.client.connection;

import bargelane.client.FromFile;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Import a list of connections, in place of the site's last one. */
@Command(
    name = "add",
    description = "Import a list of connections, in place of the site's last one.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Columns: client, server, port, and if wanted protocol, process, count, bytes, first_seen, last_seen.",
      "",
      "Example:",
      "  bargelane connection add boathouse --csv connections.csv"
    })
public final class Add extends FromFile implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id; of kind csv.")
  String site;

  @Override
  public Integer call() {
    return give("/sites/" + escape(site) + "/connections", false, "connections", "");
  }
}
