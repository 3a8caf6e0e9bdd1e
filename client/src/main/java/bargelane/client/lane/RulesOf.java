package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.RuleView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what a lane decides, the least specific first. */
@Command(
    name = "rules",
    description = "List what a lane decides and for whom, the least specific first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane rules mill-to-marsh"})
final class RulesOf extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/lanes/" + escape(name) + "/rules", RuleView.class),
        "The lane decides nothing.",
        text("FOR", RuleView::scope),
        text("NAME", r -> r.part() < 0 ? r.name() : r.name() + "/" + r.part()),
        text("SETTING", RuleView::setting),
        text("VALUE", RuleView::value));
    return 0;
  }
}
