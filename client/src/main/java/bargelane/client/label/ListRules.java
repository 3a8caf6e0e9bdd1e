package bargelane.client.label;

import static bargelane.client.Output.*;

import bargelane.api.LabelRuleView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List the rules, the one that counts first. */
@Command(
    name = "list",
    description = "List the rules, the one that counts first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane label list"})
final class ListRules extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/label-rules", LabelRuleView.class),
        "No rules yet. Make one: bargelane label add app=lending --filter \"name has lending\"",
        text("RULE", LabelRuleView::id),
        text("LABEL", LabelRuleView::name),
        text("VALUE", LabelRuleView::value),
        text("FILTER", LabelRuleView::filter),
        number("MACHINES", LabelRuleView::machines),
        text("MADE BY", LabelRuleView::madeBy),
        time("AT", LabelRuleView::madeAt));
    return 0;
  }
}
