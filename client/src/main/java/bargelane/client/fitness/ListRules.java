package bargelane.client.fitness;

import static bargelane.client.Output.*;

import bargelane.api.FitnessRulesView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List the rules: those that come with the service and those of the house. */
@Command(
    name = "list",
    description = "List the rules: those that come with the service and those of the house.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane fitness list"})
final class ListRules extends Common implements Callable<Integer>, Tabled {
  /** A rule, and the set that it is of. */
  private record Line(String set, FitnessRulesView.RuleView rule) {}

  @Override
  public Integer call() {
    Answer<List<FitnessRulesView>> sets = api().list("/fitness-rules", FitnessRulesView.class);
    if (output == Form.json) {
      json(out(), sets.json());
      return 0;
    }
    List<Line> lines = new ArrayList<>();
    for (FitnessRulesView set : sets.value()) {
      set.rules().forEach(r -> lines.add(new Line(set.name() + " " + set.version(), r)));
    }
    rows(
        out(),
        output,
        lines,
        "",
        text("RULES", Line::set),
        text("ID", l -> l.rule().id()),
        text("CODE", l -> l.rule().code()),
        text("EFFECT", l -> l.rule().effect()),
        text("WHEN", l -> join(l.rule().when(), ", ")));
    return 0;
  }
}
