package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Machines of the inventory. */
@Command(
    name = "machine",
    description = "Machines of the inventory.",
    mixinStandardHelpOptions = true,
    subcommands = {MachineCommands.ListMachines.class, MachineCommands.Show.class})
final class MachineCommands {

  @Command(
      name = "list",
      description = "List machines.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane machine list --site mill-street"})
  static final class ListMachines extends Common implements Callable<Integer> {
    @Option(names = "--site", defaultValue = "", description = "Only of this site.")
    String site;

    @Option(names = "--name", defaultValue = "", description = "Only with this part in their name.")
    String part;

    @Option(names = "--page", defaultValue = "0", description = "Page, from 0.")
    int page;

    @Override
    public Integer call() {
      JsonNode all =
          api()
              .get(
                  "/machines?page="
                      + page
                      + "&size=100&site="
                      + escape(site)
                      + "&name="
                      + escape(part));
      rows(
          out(),
          output,
          all.path("items"),
          "No machines. Scan a site: bargelane site scan NAME",
          text("NAME", "name"),
          text("ID", "id"),
          text("SITE", "site"),
          text("OS", "os"),
          number("CPUS", "cpus"),
          number("MEMORY MIB", "memoryMib"),
          of("DISKS", m -> m.path("disks").size() + ", " + size(MachinePrinter.bytes(m))),
          of("ADDRESS", MachinePrinter::addresses),
          of(
              "POWER",
              m ->
                  m.path("on").asBoolean()
                      ? "on"
                      : m.path("fenced").asBoolean() ? "off, fenced" : "off"),
          text("WAVE", "wave"));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a machine.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane machine show lending-db"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      return MachinePrinter.print(this, api().get("/machines/" + escape(name)));
    }
  }
}
