package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Events: what happened. */
@Command(
    name = "event",
    description = "Events: what happened.",
    mixinStandardHelpOptions = true,
    subcommands = {EventCommands.ListEvents.class})
final class EventCommands {

  @Command(
      name = "list",
      description = "List events after a number, oldest first; NDJSON with --output json.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane event list --after 120"})
  static final class ListEvents extends Common implements Callable<Integer> {
    @Option(
        names = "--after",
        defaultValue = "0",
        description = "Number of the last event already seen.")
    long after;

    @Override
    public Integer call() {
      JsonNode all = api().get("/events?size=1000&after=" + after);
      if (output == Form.json) {
        all.forEach(e -> out().println(e));
        return 0;
      }
      rows(
          out(),
          output,
          all,
          "No events.",
          number("NO", "id"),
          time("AT", "at"),
          text("KIND", "kind"),
          text("TEXT", "text"));
      return 0;
    }
  }
}
