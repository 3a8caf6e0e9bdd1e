package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.MachineView;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import com.fasterxml.jackson.databind.node.ArrayNode;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List machines. */
@Command(
    name = "list",
    description = "List machines.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane machine list --filter \"memory >= 2GiB and not wave = ''\" --sort -disk"
    })
final class ListMachines extends Common implements Callable<Integer>, Tabled {
  private static final int LARGEST = 500;

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      defaultValue = "",
      description = "Only those it chooses, as \"label.app = lending and memory > 8GiB\".")
  String filter;

  @Option(
      names = "--site",
      paramLabel = "SITE",
      defaultValue = "",
      description = "Only of this site.")
  String site;

  @Option(
      names = "--name",
      paramLabel = "PART",
      defaultValue = "",
      description = "Only with this part in their name.")
  String part;

  @Option(
      names = "--sort",
      paramLabel = "COLUMN",
      defaultValue = "name",
      description =
          "name, os, cpus, memory, disk or firstSeen; with a dash before it for descending.")
  String sort;

  @Option(names = "--page", paramLabel = "N", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "N",
      defaultValue = "100",
      description = "Machines a page, up to 500.")
  int size;

  @Option(names = "--all", description = "All pages, for a list to take along (--output csv).")
  boolean every;

  private Answer<Page<MachineView>> page(int number, int rows) {
    return api()
        .page(
            "/machines?page="
                + number
                + "&size="
                + rows
                + "&sort="
                + escape(sort)
                + "&filter="
                + escape(chosen()),
            MachineView.class);
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
    Answer<Page<MachineView>> first = page(page, every ? LARGEST : size);
    long total = first.value().total();
    List<MachineView> items = new ArrayList<>(first.value().items());
    ArrayNode json = (ArrayNode) first.json().path("items");
    for (int next = page + 1; every && items.size() < total; next++) {
      Answer<Page<MachineView>> more = page(next, LARGEST);
      if (more.value().items().isEmpty()) {
        break; // fewer than there were when the first page was read
      }
      items.addAll(more.value().items());
      json.addAll((ArrayNode) more.json().path("items"));
    }
    rows(
        out(),
        output,
        new Answer<>(json, items),
        chosen().isEmpty()
            ? "No machines. Scan a site: bargelane site scan NAME"
            : "No machine is chosen by that.",
        text("NAME", MachineView::name),
        text("ID", MachineView::id),
        text("SITE", MachineView::site),
        text("OS", MachineView::os),
        number("CPUS", MachineView::cpus),
        bytes("MEMORY", m -> m.memoryMib() << 20),
        text("DISKS", m -> m.disks().size() + ", " + size(MachinePrinter.bytes(m))),
        text("ADDRESS", MachinePrinter::addresses),
        text("POWER", MachinePrinter::power),
        text("WAVE", MachineView::wave));
    long shown = (long) page * size + items.size();
    if (!every && output == Output.Form.table && shown < total) {
      out().println(shown + " of " + total + "; more: --page " + (page + 1));
    }
    return 0;
  }
}
