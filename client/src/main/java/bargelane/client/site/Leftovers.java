package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.LeftoverView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List things of ours at a site. */
@Command(
    name = "leftovers",
    description = "List things of ours at a site.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site leftovers saltmarsh"})
final class Leftovers extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/sites/" + escape(name) + "/leftovers", LeftoverView.class),
        "Nothing of ours is there.",
        text("KIND", LeftoverView::kind),
        text("NAME", LeftoverView::name),
        text("OWNER", LeftoverView::owner),
        text("RECORDED", LeftoverView::recorded));
    return 0;
  }
}
