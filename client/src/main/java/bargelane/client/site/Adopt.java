package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.AdoptionView;
import bargelane.api.AdoptionWave;
import bargelane.api.FindingView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Take over waves that a lost service replicated to a site. */
@Command(
    name = "adopt",
    description = {
      "Take over waves that a lost service replicated to a site.",
      "Without --confirm it changes nothing and lists what is there; exit 1 if something is in the"
          + " way."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane site adopt saltmarsh",
      "  bargelane site adopt saltmarsh --wave lending --confirm saltmarsh"
    })
final class Adopt extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Option(
      names = "--wave",
      paramLabel = "WAVE",
      description = "A wave to take over, and no other; may be given again.")
  List<String> waves = List.of();

  @Option(
      names = "--service-gone",
      description = "Say that the service that made them is gone for good.")
  boolean serviceGone;

  @Option(
      names = "--remove-machines",
      description =
          "Remove machines that a move left at the site switched off; their disks stay there.")
  boolean removeMachines;

  @Option(
      names = "--confirm",
      paramLabel = "SITE",
      description = "The name of the site, typed: take them over.")
  String confirm;

  @Override
  public Integer call() {
    String path = "/sites/" + escape(name) + "/adoption";
    Answer<AdoptionView> answer =
        confirm == null
            ? api().get(path, AdoptionView.class)
            : api()
                .post(
                    path,
                    Map.of(
                        "confirm",
                        confirm,
                        "waves",
                        waves,
                        "serviceGone",
                        serviceGone,
                        "removeMachines",
                        removeMachines),
                    AdoptionView.class);
    AdoptionView there = answer.value();
    List<FindingView> findings =
        there.waves().stream().flatMap(w -> w.findings().stream()).toList();
    if (output == Output.Form.json) {
      json(out(), answer.json());
    } else {
      rows(
          out(),
          output,
          there.waves(),
          "No wave of another service is at " + there.site() + ".",
          text("WAVE", AdoptionWave::wave),
          text("FROM", w -> w.from() + " at " + w.fromAddress()),
          text("MACHINES", w -> join(w.machines(), ", ")),
          number("POINTS", AdoptionWave::points),
          time("NEWEST POINT OF", AdoptionWave::asOf),
          text("VERIFIED", AdoptionWave::verified),
          text("RUNS", w -> w.runsHere() ? "at " + there.site() : "not at " + there.site()),
          text("SERVICE", AdoptionWave::service));
      if (output == Output.Form.table) {
        after(there, findings);
      }
    }
    return confirm == null && findings.stream().anyMatch(FindingView::blocks) ? 1 : 0;
  }

  private void after(AdoptionView there, List<FindingView> findings) {
    findings(out(), findings);
    if (!there.left().isEmpty()) {
      out()
          .println(
              (there.left().size() == 1
                      ? "1 other thing of theirs stays as it is"
                      : there.left().size() + " other things of theirs stay as they are")
                  + ": bargelane site leftovers "
                  + there.site());
    }
    if (there.waves().isEmpty()
        || confirm == null && findings.stream().anyMatch(FindingView::blocks)) {
      return;
    }
    out()
        .println(
            confirm == null
                ? "Take them over: bargelane site adopt "
                    + there.site()
                    + " --confirm "
                    + there.site()
                : "Taken over. Their replication is paused. Where the source is lost: bargelane wave"
                    + " failover WAVE --source-lost; where it is there: bargelane wave resume WAVE");
  }
}
