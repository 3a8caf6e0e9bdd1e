package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.FindingView;
import bargelane.api.PlacedView;
import bargelane.api.PlacedView.PlacedCardView;
import bargelane.api.PlacedView.PlacedDiskView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Show where each machine of a lane goes. */
@Command(
    name = "plan",
    description =
        "Show where each machine of a lane goes; of one machine, why, and what is in the way.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane plan mill-to-marsh --filter \"label.app = lending\"",
      "  bargelane lane plan mill-to-marsh --machine lending-db"
    })
final class Plan extends Common implements Callable<Integer>, Tabled {
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
      description = "This machine, with each decision and where it comes from.")
  String machine;

  @Option(names = "--found", description = "Only machines with findings.")
  boolean found;

  @Override
  public boolean tabled() {
    return machine == null;
  }

  @Override
  public Integer call() {
    if (machine != null) {
      String quoted = "'" + machine.replace("'", "''") + "'";
      Answer<List<PlacedView>> one =
          PlanPages.all(api(), name, "name = " + quoted + " or id = " + quoted, false);
      if (one.value().isEmpty()) {
        err().println("Error: no machine of lane " + name + " is called " + machine);
        err().println("Next:  list them: bargelane lane plan " + name);
        return 2;
      }
      if (output == Output.Form.json) {
        json(out(), one.json());
      } else {
        one.value().forEach(this::print);
      }
      return 0;
    }
    rows(
        out(),
        output,
        PlanPages.all(api(), name, filter, found),
        found ? "No machine has a finding." : "No machine is chosen by that.",
        text("MACHINE", PlacedView::machine),
        text("WAVE", PlacedView::wave),
        text("NAME THERE", PlacedView::name),
        text("SIZE", PlacedView::size),
        text("ZONE", PlacedView::zone),
        text("ADDRESSES", p -> p.cards().stream().map(Plan::address).toList()),
        text("CLASSES", p -> p.disks().stream().map(Plan::goes).distinct().toList()),
        text("FINDINGS", p -> p.findings().stream().map(FindingView::code).distinct().toList()));
    return 0;
  }

  /** Where a disk goes. */
  private static String goes(PlacedDiskView d) {
    return d.copied()
        ? plain(d.to()) + (d.key().isEmpty() ? "" : " under key " + d.key())
        : d.carriedAs().isEmpty() ? "left out" : "carried to " + d.carriedAs();
  }

  static String address(PlacedCardView c) {
    if (c.subnet().isEmpty()) {
      return "-";
    }
    return c.address().isEmpty() ? c.rule() : c.address() + (c.kept() ? "" : "*");
  }

  private void print(PlacedView p) {
    out().println(p.machine() + (p.wave().isEmpty() ? ", in no wave" : ", in wave " + p.wave()));
    pairs(out(), "  name there", p.name(), "  size", plain(p.size()), "  zone", plain(p.zone()));
    for (PlacedView.DecidedView d : p.decided()) {
      out().println("  " + d.setting() + " " + d.value() + ": set for " + d.from());
    }
    rows(
        out(),
        Output.Form.table,
        p.cards(),
        "It has no card.",
        number("CARD", PlacedCardView::card),
        text("NETWORK", PlacedCardView::network),
        text("ADDRESS", PlacedCardView::formerAddress),
        text("SUBNET", PlacedCardView::subnet),
        text("BY", PlacedCardView::subnetFrom),
        text("ADDRESS THERE", PlacedCardView::address),
        text("RULE", PlacedCardView::rule),
        text("BY", PlacedCardView::ruleFrom));
    rows(
        out(),
        Output.Form.table,
        p.disks(),
        "It has no disk.",
        number("DISK", PlacedDiskView::disk),
        text("VOLUME", PlacedDiskView::volume),
        bytes("SIZE", PlacedDiskView::bytes),
        text("ROLE", PlacedDiskView::role),
        text("STORAGE", PlacedDiskView::storage),
        text("CLASS", Plan::goes),
        text("BY", PlacedDiskView::from));
    findings(out(), p.findings());
  }
}
