package bargelane.client.server;

import static bargelane.client.Output.*;

import bargelane.api.Page;
import bargelane.api.ServerView;
import bargelane.client.Answer;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List the servers of a site, those with a problem first. */
@Command(
    name = "list",
    description = "List the servers of a site, those with a problem first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane server list branches"})
final class ListServers extends OfServers implements Callable<Integer>, Tabled {
  @Option(names = "--page", paramLabel = "N", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "N",
      defaultValue = "100",
      description = "Servers a page, up to 500.")
  int size;

  @Override
  public Integer call() {
    Answer<Page<ServerView>> told =
        api().page(path() + "?page=" + page + "&size=" + size, ServerView.class);
    rows(
        out(),
        output,
        new Answer<>(told.json(), told.value().items()),
        "No servers yet. Add some: bargelane server add " + site + " ADDRESS ...",
        text("ADDRESS", ServerView::address),
        text("MACHINE", ServerView::machine),
        text("CREDENTIAL", ServerView::credential),
        text(
            "HOST KEY",
            r ->
                r.hostKey().isEmpty() && !r.shownKey().isEmpty()
                    ? "not approved: " + r.shownKey()
                    : r.hostKey()),
        time("READ", ServerView::readAt),
        text("PROBLEM", r -> r.problem() == null ? null : r.problem().cause()));
    return 0;
  }
}
