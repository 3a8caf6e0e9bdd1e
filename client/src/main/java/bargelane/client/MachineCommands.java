package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Machines of the inventory. */
@Command(
    name = "machine",
    description = "Machines of the inventory.",
    mixinStandardHelpOptions = true,
    subcommands = {
      MachineCommands.ListMachines.class,
      ListCommands.Machines.class,
      MachineCommands.Label.class,
      MachineCommands.Show.class,
      MachineInsideCommands.Facts.class,
      MachineInsideCommands.Survey.class,
      UsageCommand.class,
      ChangesCommand.OfMachine.class
    })
final class MachineCommands {

  @Command(
      name = "list",
      description = "List machines.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane machine list --filter \"memory >= 2 GiB and not wave = ''\" --sort -disk"
      })
  static final class ListMachines extends Common implements Callable<Integer> {
    private static final int LARGEST = 500;

    @Option(
        names = "--filter",
        defaultValue = "",
        description = "Only those it chooses, as \"label.app = lending and memory > 8 GiB\".")
    String filter;

    @Option(names = "--site", defaultValue = "", description = "Only of this site.")
    String site;

    @Option(names = "--name", defaultValue = "", description = "Only with this part in their name.")
    String part;

    @Option(
        names = "--sort",
        defaultValue = "name",
        description =
            "name, os, cpus, memory, disk or firstSeen; with a dash before it for descending.")
    String sort;

    @Option(names = "--page", defaultValue = "0", description = "Page, from 0.")
    int page;

    @Option(names = "--size", defaultValue = "100", description = "Machines a page, up to 500.")
    int size;

    @Option(names = "--all", description = "All pages, for a list to take along (--output csv).")
    boolean every;

    private JsonNode page(int number, int rows) {
      return api()
          .get(
              "/machines?page="
                  + number
                  + "&size="
                  + rows
                  + "&sort="
                  + escape(sort)
                  + "&filter="
                  + escape(chosen()));
    }

    /** The whole choice as one filter. */
    private String chosen() {
      List<String> all = new ArrayList<>();
      if (!filter.isBlank()) {
        all.add("(" + filter + ")");
      }
      if (!site.isEmpty()) {
        all.add("site = " + quoted(site));
      }
      if (!part.isEmpty()) {
        all.add("name has " + quoted(part));
      }
      // Alone it is sent as it was typed, so that an error's character is that of what was typed.
      return all.size() == 1 && !filter.isBlank() ? filter : String.join(" and ", all);
    }

    private static String quoted(String value) {
      return "'" + value.replace("'", "''") + "'";
    }

    @Override
    public Integer call() {
      JsonNode first = page(page, every ? LARGEST : size);
      ArrayNode items = (ArrayNode) first.path("items");
      for (int next = page + 1; every && items.size() < first.path("total").asLong(); next++) {
        JsonNode more = page(next, LARGEST).path("items");
        if (more.isEmpty()) {
          break; // fewer than there were when the first page was read
        }
        items.addAll((ArrayNode) more);
      }
      rows(
          out(),
          output,
          items,
          chosen().isEmpty()
              ? "No machines. Scan a site: bargelane site scan NAME"
              : "No machine is chosen by that.",
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
      long shown = (long) page * size + items.size();
      if (!every && output == Output.Form.table && shown < first.path("total").asLong()) {
        out()
            .println(
                shown + " of " + first.path("total").asLong() + "; more: --page " + (page + 1));
      }
      return 0;
    }
  }

  @Command(
      name = "label",
      description = "Give labels to machines by hand, or take such away.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane machine label --filter \"name has lending\" --set app=lending --remove temporary"
      })
  static final class Label extends Common implements Callable<Integer> {
    @Parameters(arity = "0..*", paramLabel = "MACHINE", description = "Names or ids.")
    List<String> names = List.of();

    @Option(names = "--filter", defaultValue = "", description = "All that it chooses.")
    String filter;

    @Option(names = "--set", paramLabel = "NAME=VALUE", description = "A label to give.")
    Map<String, String> set = Map.of();

    @Option(names = "--remove", paramLabel = "NAME", description = "A label to take away.")
    List<String> remove = List.of();

    @Option(names = "--csv", description = "A list: columns machine and label.NAME.")
    Path csv;

    @Option(names = "--dry-run", description = "With a list: only say what would become of it.")
    boolean dryRun;

    @Override
    public Integer call() {
      if (csv != null) {
        return imported(
            api()
                .post(
                    "/machines/labels/list",
                    Map.of("csv", textOf("--csv", csv), "dryRun", dryRun, "whole", false)),
            "machines",
            "");
      }
      JsonNode done =
          api()
              .post(
                  "/machines/labels",
                  Map.of("machines", names, "filter", filter, "set", set, "remove", remove));
      if (output == Output.Form.json) {
        json(out(), done);
      } else {
        out()
            .println(
                "changed "
                    + done.path("changed").asInt()
                    + " of "
                    + done.path("chosen").asInt()
                    + " chosen");
      }
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
