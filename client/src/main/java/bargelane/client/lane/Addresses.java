package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.ImportResult;
import bargelane.api.PlacedView;
import bargelane.api.PlacedView.PlacedCardView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** The address plan of a lane, a line a card; as CSV both ways. */
@Command(
    name = "addresses",
    description = {
      "Show the address plan of a lane, a line for each card; --output csv writes it, --csv reads it.",
      "Of a list that is read, what differs from the plan is decided for the card; what does not is left to its rule."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane addresses mill-to-marsh --output csv > addresses.csv",
      "  bargelane lane addresses mill-to-marsh --csv addresses.csv --dry-run"
    })
final class Addresses extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      defaultValue = "",
      description = "Only machines that it chooses, as \"label.app = lending\".")
  String filter;

  @Option(names = "--csv", paramLabel = "FILE", description = "A CSV file to read.")
  Path csv;

  @Option(names = "--dry-run", description = "Only say what would become of the file.")
  boolean dryRun;

  private record Line(PlacedView machine, PlacedCardView card) {}

  @Override
  public boolean tabled() {
    return csv == null;
  }

  @Override
  public Integer call() {
    if (csv != null) {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("csv", textOf("--csv", csv));
      body.put("dryRun", dryRun);
      return imported(
          api().post("/lanes/" + escape(name) + "/addresses", body, ImportResult.class),
          "cards",
          "decisions ");
    }
    Answer<List<PlacedView>> plan = PlanPages.all(api(), name, filter, false);
    if (output == Output.Form.json) {
      json(out(), plan.json());
      return 0;
    }
    List<Line> lines =
        plan.value().stream().flatMap(m -> m.cards().stream().map(c -> new Line(m, c))).toList();
    rows(
        out(),
        output,
        lines,
        "No machine is chosen by that.",
        text("MACHINE", l -> l.machine().machine()),
        text("ID", l -> l.machine().id()),
        text("WAVE", l -> l.machine().wave()),
        number("CARD", l -> l.card().card()),
        text("NETWORK", l -> l.card().network()),
        text("FORMER", l -> l.card().formerAddress()),
        text("SUBNET", l -> l.card().subnet()),
        text("ADDRESS", l -> l.card().address()),
        text("KEPT", l -> l.card().kept()),
        text("RULE", l -> l.card().rule()),
        text("BY", l -> l.card().ruleFrom()));
    return 0;
  }
}
