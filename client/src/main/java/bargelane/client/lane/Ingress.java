package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.IngressView;
import bargelane.api.IngressView.EvidenceView;
import bargelane.api.Page;
import bargelane.api.RuleChange;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Propose what is let in to machines at a target that filters. */
@Command(
    name = "ingress",
    description = {
      "Show what is let in to machines at a target that filters, whom that would cut of those who were seen,",
      "and the fewest rules that keep what was seen working; nothing is decided without --accept."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane ingress mill-to-marsh --cut",
      "  bargelane lane ingress mill-to-marsh --machine photo-archive --accept"
    })
final class Ingress extends Common implements Callable<Integer>, Tabled {
  private static final int LARGEST = 500;

  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      defaultValue = "",
      description = "Only machines that it chooses, as \"label.app = lending\".")
  String filter;

  @Option(
      names = "--machine",
      paramLabel = "MACHINE",
      description = "This machine, with the evidence for each rule.")
  String machine;

  @Option(names = "--cut", description = "Only machines where somebody who was seen is cut.")
  boolean cut;

  @Option(
      names = "--accept",
      description = "Decide what is proposed for the machines that are shown and were seen.")
  boolean accept;

  @Override
  public boolean tabled() {
    return machine == null && !accept;
  }

  @Override
  public Integer call() {
    List<IngressView> all = new ArrayList<>();
    ArrayNode json = JsonNodeFactory.instance.arrayNode();
    String chosen =
        machine == null
            ? filter
            : "name = '"
                + machine.replace("'", "''")
                + "' or id = '"
                + machine.replace("'", "''")
                + "'";
    long total = 1;
    for (int page = 0; (long) page * LARGEST < total; page++) {
      Answer<Page<IngressView>> read =
          api()
              .page(
                  "/lanes/"
                      + escape(name)
                      + "/ingress?size="
                      + LARGEST
                      + "&page="
                      + page
                      + "&filter="
                      + escape(chosen),
                  IngressView.class);
      total = read.value().total();
      for (int i = 0; i < read.value().items().size(); i++) {
        if (!cut || read.value().items().get(i).cut() > 0) {
          all.add(read.value().items().get(i));
          json.add(read.json().path("items").get(i));
        }
      }
    }
    if (accept) {
      return accept(all);
    }
    if (machine != null && output == Output.Form.table) {
      all.forEach(this::print);
      if (all.isEmpty()) {
        out().println("Nothing is let in to it, and nobody was seen to connect to it.");
      }
      return 0;
    }
    rows(
        out(),
        output,
        new Answer<>(json, all),
        cut ? "Nobody who was seen is cut." : "No machine is chosen by that.",
        text("MACHINE", IngressView::machine),
        text("RULES", IngressView::rules),
        text("BY", v -> v.from().isEmpty() ? "the source" : v.from()),
        number("CUT", IngressView::cut),
        text("PROPOSED", IngressView::proposed));
    return 0;
  }

  private int accept(List<IngressView> all) {
    List<RuleChange> changes =
        all.stream()
            .filter(v -> !v.evidence().isEmpty() && !v.proposed().equals(v.rules()))
            .map(v -> new RuleChange("machine", v.id(), null, "ingress", v.proposed()))
            .toList();
    if (changes.isEmpty()) {
      out().println("Nothing is proposed that does not hold already.");
      return 0;
    }
    Answer<bargelane.api.LaneView> lane = SetRule.decide(api(), name, changes);
    if (output == Output.Form.json) {
      json(out(), lane.json());
    } else {
      out()
          .println(
              "Decided for "
                  + (changes.size() == 1 ? "1 machine." : changes.size() + " machines."));
    }
    return 0;
  }

  private void print(IngressView v) {
    out().println(v.machine() + (v.wave().isEmpty() ? ", in no wave" : ", in wave " + v.wave()));
    pairs(
        out(),
        "  let in",
        v.rules() + (v.from().isEmpty() ? " (as at the source)" : " (" + v.from() + ")"),
        "  cut",
        v.cut() == 0 ? "nobody who was seen" : v.cut() + ": " + join(v.cutExamples(), ", "),
        "  proposed",
        v.proposed(),
        "  not seen",
        v.unused().isEmpty() ? "-" : join(v.unused(), "; "));
    rows(
        out(),
        Output.Form.table,
        v.evidence(),
        "Nobody was seen to connect to it.",
        text("RULE", EvidenceView::rule),
        number("CLIENTS", EvidenceView::clients),
        number("CONNECTIONS", EvidenceView::connections),
        text("LET IN NOW", EvidenceView::present));
  }
}
