package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Dossiers: the records of finished moves. */
@Command(
    name = "dossier",
    description = "Dossiers: the records of finished moves.",
    mixinStandardHelpOptions = true,
    subcommands = {DossierCommands.ListDossiers.class, DossierCommands.Show.class})
final class DossierCommands {

  @Command(
      name = "list",
      description = "List dossiers, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane dossier list"})
  static final class ListDossiers extends Common implements Callable<Integer> {
    @Option(names = "--wave", defaultValue = "", description = "Only of this wave.")
    String wave;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/dossiers?wave=" + escape(wave)),
          "No dossiers yet.",
          text("ID", "id"),
          text("KIND", "kind"),
          text("WAVE", "wave"),
          time("AT", "at"),
          text("RUN", "run"));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a dossier.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane dossier show dos-7h3k2p"})
  static final class Show extends Common implements Callable<Integer> {
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
}
