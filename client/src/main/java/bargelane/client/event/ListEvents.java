package bargelane.client.event;

import static bargelane.client.Output.*;

import bargelane.api.EventView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List events after a number, oldest first; NDJSON with --output json. */
@Command(
    name = "list",
    description = "List events after a number, oldest first; NDJSON with --output json.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane event list --after 120"})
final class ListEvents extends Common implements Callable<Integer>, Tabled {
  @Option(
      names = "--after",
      paramLabel = "EVENT",
      defaultValue = "0",
      description = "Number of the last event already seen.")
  long after;

  @Override
  public Integer call() {
    Answer<List<EventView>> all = api().list("/events?size=1000&after=" + after, EventView.class);
    if (output == Form.json) {
      all.json().forEach(e -> out().println(e));
      return 0;
    }
    rows(
        out(),
        output,
        all,
        "No events.",
        number("NO", EventView::id),
        time("AT", EventView::at),
        text("KIND", EventView::kind),
        text("BY", EventView::actor),
        text("TEXT", EventView::text));
    return 0;
  }
}
