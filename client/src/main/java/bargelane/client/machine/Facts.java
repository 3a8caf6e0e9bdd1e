package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.FactView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** What each source says of a machine, fact by fact, and when. */
@Command(
    name = "facts",
    description = "What each source says of a machine, fact by fact, and when.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane machine facts lending-db"})
final class Facts extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String name;

  /** What one source says of a fact. */
  private record Line(String fact, FactView.Told told) {}

  @Override
  public Integer call() {
    Answer<List<FactView>> facts =
        api().list("/machines/" + escape(name) + "/facts", FactView.class);
    if (output == Form.json) {
      json(out(), facts.json());
      return 0;
    }
    List<Line> lines = new ArrayList<>();
    for (FactView fact : facts.value()) {
      fact.told().forEach(t -> lines.add(new Line(fact.fact(), t)));
    }
    rows(
        out(),
        output,
        lines,
        "Nothing is known of it.",
        text("FACT", Line::fact),
        text("VALUE", l -> l.told().value()),
        text("TOLD BY", l -> l.told().site()),
        time("AT", l -> l.told().at()));
    return 0;
  }
}
