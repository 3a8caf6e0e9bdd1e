package bargelane.client.connection;

import static bargelane.client.Output.*;

import bargelane.api.ConnectionView;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List connections, counted by client, server, port and process. */
@Command(
    name = "list",
    description = "List connections, counted by client, server, port and process.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane connection list --filter \"label.app = lending\" --sort -count"
    })
final class ListConnections extends Common implements Callable<Integer>, Tabled {
  @Option(
      names = "--machine",
      paramLabel = "MACHINE",
      defaultValue = "",
      description = "Only those that begin or end at this machine.")
  String machine;

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      defaultValue = "",
      description = "Only those that begin or end at a machine that it chooses.")
  String filter;

  @Option(
      names = "--sort",
      paramLabel = "COLUMN",
      defaultValue = "-bytes",
      description = "bytes, count, lastSeen or port; with a dash before it for descending.")
  String sort;

  @Option(names = "--page", paramLabel = "N", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "N",
      defaultValue = "50",
      description = "Rows a page, up to 500.")
  int size;

  @Override
  public Integer call() {
    Answer<Page<ConnectionView>> found =
        api()
            .page(
                "/connections?machine="
                    + escape(machine)
                    + "&filter="
                    + escape(filter)
                    + "&sort="
                    + escape(sort)
                    + "&page="
                    + page
                    + "&size="
                    + size,
                ConnectionView.class);
    rows(
        out(),
        output,
        found.part("items", Page::items),
        "No connections are known. Sites that watch them are read by: bargelane site scan NAME",
        text("CLIENT", c -> end(c.client())),
        text("SERVER", c -> end(c.server())),
        text("PORT", c -> c.protocol() + " " + c.port()),
        text("PROCESS", ConnectionView::process),
        number("COUNT", ConnectionView::count),
        output == Output.Form.table
            ? bytes("BYTES", ConnectionView::bytes)
            : number("BYTES", ConnectionView::bytes),
        time("FIRST SEEN", ConnectionView::firstSeen),
        time("LAST SEEN", ConnectionView::lastSeen),
        text("OBSERVER", ConnectionView::observer));
    more(found.value(), page, size);
    return 0;
  }

  private static String end(ConnectionView.EndView end) {
    return end.machine() != null ? end.machine() + " " + end.address() : end.address();
  }
}
