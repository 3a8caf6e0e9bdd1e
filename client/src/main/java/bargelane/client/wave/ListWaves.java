package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.WaveCard;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List waves. */
@Command(
    name = "list",
    description = "List waves.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave list"})
final class ListWaves extends Common implements Callable<Integer>, Tabled {

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/waves", WaveCard.class),
        "No waves yet. Plan one: bargelane wave add NAME --lane LANE --timetable TIMETABLE --machine NAME=RANK",
        text("NAME", WaveCard::name),
        text("STATE", WaveCard::state),
        text("FROM", WaveCard::from),
        text("TO", WaveCard::to),
        text("RUNS AT", WaveCard::stands),
        number("MACHINES", WaveCard::machines),
        text("EXPOSURE", w -> Output.seconds(w.exposureSeconds())),
        text(
            "RPO",
            w ->
                Output.seconds(w.rpoSeconds())
                    + " "
                    + (w.rpoHeld() ? "held" : w.protectedNow() ? "not held" : "")),
        text("NEXT", w -> Remedies.text(w.nextAction())));
    return 0;
  }
}
