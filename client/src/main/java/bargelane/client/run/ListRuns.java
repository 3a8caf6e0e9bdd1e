package bargelane.client.run;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List runs, newest first. */
@Command(
    name = "list",
    description = "List runs, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane run list --open"})
final class ListRuns extends Common implements Callable<Integer>, Tabled {
  @Option(names = "--open", description = "Only those that are not over.")
  boolean open;

  @Option(names = "--passes", description = "The passes of timetables too.")
  boolean passes;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/runs?open=" + open + "&passes=" + passes, RunView.class),
        "No runs.",
        text("ID", RunView::id),
        text("TITLE", RunView::title),
        text("STATE", RunView::state),
        time("STARTED", RunView::startedAt),
        time("ENDED", RunView::endedAt),
        text("BY", RunView::startedBy));
    return 0;
  }
}
