package bargelane.client.dossier;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show a dossier. */
@Command(
    name = "show",
    description = "Show a dossier.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane dossier show dos-7h3k2p"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "DOSSIER", description = "Id.")
  String name;

  @Override
  public Integer call() {
    for (JsonNode d : api().get("/dossiers")) {
      if (d.path("id").asText().equals(name)) {
        json(out(), d);
        return 0;
      }
    }
    err().println("Error: there is no dossier '" + name + "'");
    err().println("Next:  list them: bargelane dossier list");
    return 1;
  }
}
