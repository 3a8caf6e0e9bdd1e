package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Who talks to whom. */
@Command(
    name = "connection",
    description = "Who talks to whom.",
    mixinStandardHelpOptions = true,
    subcommands = {ListCommands.Connections.class, ConnectionCommands.ListConnections.class})
final class ConnectionCommands {

  @Command(
      name = "list",
      description = "List connections, counted by client, server, port and process.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane connection list --filter \"label.app = lending\" --sort -count"
      })
  static final class ListConnections extends Common implements Callable<Integer> {
    @Option(
        names = "--machine",
        defaultValue = "",
        description = "Only those that begin or end at this machine.")
    String machine;

    @Option(
        names = "--filter",
        defaultValue = "",
        description = "Only those that begin or end at a machine that it chooses.")
    String filter;

    @Option(
        names = "--sort",
        defaultValue = "-bytes",
        description = "bytes, count, lastSeen or port; with a dash before it for descending.")
    String sort;

    @Option(names = "--page", defaultValue = "0", description = "Page, from 0.")
    int page;

    @Option(names = "--size", defaultValue = "50", description = "Rows a page, up to 500.")
    int size;

    @Override
    public Integer call() {
      JsonNode found =
          api()
              .get(
                  "/connections?machine="
                      + escape(machine)
                      + "&filter="
                      + escape(filter)
                      + "&sort="
                      + escape(sort)
                      + "&page="
                      + page
                      + "&size="
                      + size);
      rows(
          out(),
          output,
          found.path("items"),
          "No connections are known. Sites that watch them are read by: bargelane site scan NAME",
          of("CLIENT", c -> end(c.path("client"))),
          of("SERVER", c -> end(c.path("server"))),
          of("PORT", c -> c.path("protocol").asText() + " " + c.path("port").asText()),
          text("PROCESS", "process"),
          number("COUNT", "count"),
          output == Output.Form.table ? bytes("BYTES", "bytes") : number("BYTES", "bytes"),
          time("FIRST SEEN", "firstSeen"),
          time("LAST SEEN", "lastSeen"),
          text("OBSERVER", "observer"));
      more(this, found, page, size);
      return 0;
    }

    private static String end(JsonNode end) {
      return end.path("machine").isTextual()
          ? end.path("machine").asText() + " " + end.path("address").asText()
          : end.path("address").asText();
    }
  }

  /** Says that there are further pages. */
  static void more(Common command, JsonNode found, int page, int size) {
    long shown = (long) page * size + found.path("items").size();
    if (command.output == Output.Form.table && shown < found.path("total").asLong()) {
      command
          .out()
          .println(shown + " of " + found.path("total").asLong() + "; more: --page " + (page + 1));
    }
  }
}
