package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.api.SuggestionView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Suggest joins for what is joined to nothing. */
@Command(
    name = "suggest",
    description = {
      "Suggest joins for what is joined to nothing, with the reasons; nothing is joined without --accept.",
      "One that is not clear has another that is as good, or its largest disk does not fit: choose it by --accept, or another join by lane edit."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane suggest mill-to-marsh --accept net-staff --accept shelf-a",
      "  bargelane lane suggest mill-to-marsh --accept-clear"
    })
final class Suggest extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(
      names = "--accept",
      paramLabel = "SOURCE",
      description =
          "Join this network or storage of the source as it is suggested; may be repeated.")
  List<String> accept = List.of();

  @Option(names = "--accept-clear", description = "Join all whose suggestion is clear.")
  boolean acceptClear;

  @Override
  public Integer call() {
    Answer<List<SuggestionView>> found =
        api().list("/lanes/" + escape(name) + "/suggestions", SuggestionView.class);
    List<SuggestionView> chosen =
        found.value().stream()
            .filter(s -> accept.contains(s.from()) || acceptClear && s.clear())
            .toList();
    for (String wanted : accept) {
      if (chosen.stream().noneMatch(s -> s.from().equals(wanted))) {
        err().println("Error: nothing is suggested for '" + wanted + "'");
        err().println("Next:  see what is: bargelane lane suggest " + name);
        return 2;
      }
    }
    if (accept.isEmpty() && !acceptClear) {
      rows(
          out(),
          output,
          found,
          "Everything at the source is joined, or nothing fits what is not.",
          text("KIND", SuggestionView::kind),
          text("FROM", s -> named(s.from(), s.fromName())),
          text("TO", s -> named(s.to(), s.toName())),
          text("CLEAR", SuggestionView::clear),
          text("WHY", s -> join(s.reasons(), "; ")),
          text("OTHERS", SuggestionView::others));
      return 0;
    }
    Answer<LaneView> lane = api().get("/lanes/" + escape(name), LaneView.class);
    if (chosen.isEmpty()) {
      err().println("No suggestion is clear: choose with --accept.");
      return LanePrinter.print(this, lane);
    }
    LaneView before = lane.value();
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("networks", LanePrinter.merged(before.networks(), joins(chosen, "network")));
    body.put("storages", LanePrinter.merged(before.storages(), joins(chosen, "storage")));
    return LanePrinter.print(
        this,
        api().put("/lanes/" + escape(name), body, "\"" + before.revision() + "\"", LaneView.class));
  }

  private static String named(String id, String name) {
    return name.isEmpty() || name.equals(id) ? id : id + " (" + name + ")";
  }

  private static Map<String, String> joins(List<SuggestionView> chosen, String kind) {
    Map<String, String> joins = new LinkedHashMap<>();
    chosen.stream().filter(s -> s.kind().equals(kind)).forEach(s -> joins.put(s.from(), s.to()));
    return joins;
  }
}
