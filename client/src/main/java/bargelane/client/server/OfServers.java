package bargelane.client.server;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import picocli.CommandLine.Parameters;

/** What every one of them is about. */
abstract class OfServers extends Common {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  String path(String... more) {
    StringBuilder path = new StringBuilder("/sites/" + escape(site) + "/servers");
    for (String part : more) {
      path.append('/').append(escape(part));
    }
    return path.toString();
  }
}
