package bargelane.client.agent;

import static bargelane.client.Output.*;

import bargelane.api.AgentView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import bargelane.text.Durations;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List the agents of a site, the silent ones first. */
@Command(
    name = "list",
    description = "List the agents of a site, the silent ones first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane agent list annexes"})
final class ListAgents extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/sites/" + escape(site) + "/agents", AgentView.class),
        "No agents yet. The line to paste on a machine: bargelane agent key " + site,
        text("AGENT", AgentView::id),
        text("MACHINE", AgentView::machine),
        text("STATE", AgentView::state),
        text("VERSION", AgentView::version),
        text("RUNS AS", AgentView::account),
        time("LAST REPORT", AgentView::heardAt),
        time("SURVEYED", AgentView::surveyedAt),
        text("CAN'T READ", a -> a.unread().isEmpty() ? "-" : a.unread().size() + " facts"),
        text("CLOCK AHEAD", a -> clock(a.clockAheadSeconds())));
    return 0;
  }

  private static String clock(double seconds) {
    return Math.abs(seconds) < 1 ? "-" : Durations.seconds(seconds);
  }
}
