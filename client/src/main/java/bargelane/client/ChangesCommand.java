package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** What scans found different, of a site or of a machine. */
abstract class ChangesCommand extends Common implements Callable<Integer> {

  @Option(names = "--page", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(names = "--size", defaultValue = "50", description = "Rows a page, up to 500.")
  int size;

  abstract String path();

  @Override
  public Integer call() {
    JsonNode found = api().get(path() + "/changes?page=" + page + "&size=" + size);
    rows(
        out(),
        output,
        found.path("items"),
        "No scan found anything different.",
        time("FOUND", "at"),
        text("MACHINE", "machine"),
        text("ID", "machineId"),
        text("WHAT", "kind"),
        text("FACT", "fact"),
        text("BEFORE", "former"),
        text("NOW", "present"));
    ConnectionCommands.more(this, found, page, size);
    return 0;
  }

  @Command(
      name = "changes",
      description = "List what scans of a site found different, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site changes mill-street"})
  static final class OfSite extends ChangesCommand {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    @Override
    String path() {
      return "/sites/" + escape(site);
    }
  }

  @Command(
      name = "changes",
      description = "List what scans found different about a machine, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane machine changes lending-db"})
  static final class OfMachine extends ChangesCommand {
    @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
    String machine;

    @Override
    String path() {
      return "/machines/" + escape(machine);
    }
  }
}
