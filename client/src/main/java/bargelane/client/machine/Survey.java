package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.SurveyView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** What is inside a machine, as it was read from inside. */
@Command(
    name = "survey",
    description = "What is inside a machine, as it was read from inside.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane machine survey photo-store --packages"})
final class Survey extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String name;

  @Option(names = "--packages", description = "List the installed packages.")
  boolean packages;

  @Override
  public boolean tabled() {
    return packages;
  }

  @Override
  public Integer call() {
    Answer<List<SurveyView>> surveys =
        api().list("/machines/" + escape(name) + "/surveys", SurveyView.class);
    if (output == Form.json) {
      json(out(), surveys.json());
    } else if (surveys.value().isEmpty()) {
      out().println(name + " was never read from inside: bargelane site add NAME --kind servers");
    } else if (packages) {
      rows(
          out(),
          output,
          surveys.value().get(0).packages(),
          "No packages.",
          text("PACKAGE", SurveyView.PackageView::name),
          text("VERSION", SurveyView.PackageView::version),
          text("ARCHITECTURE", SurveyView.PackageView::architecture));
    } else {
      print(surveys.value().get(0));
    }
    return 0;
  }

  private void print(SurveyView s) {
    pairs(
        out(),
        "Read",
        local(s.readAt()) + " by " + s.site() + " as " + s.account(),
        "Hardware",
        (s.vendor() + " " + s.product()).strip()
            + ", "
            + Output.plain(s.cpuModel())
            + ", "
            + s.architecture(),
        "Up for",
        Output.seconds(s.uptimeSeconds()),
        "Packages",
        s.packages().size()
            + (s.patchedAt() != null ? ", changed last " + local(s.patchedAt()) : ""),
        "Services",
        Output.plain(s.services()));
    rows(
        out(),
        Form.table,
        s.devices(),
        "No block devices.",
        text("DEVICE", SurveyView.DeviceView::name),
        bytes("SIZE", SurveyView.DeviceView::bytes),
        text("PART OF", SurveyView.DeviceView::parents),
        text("MODEL", SurveyView.DeviceView::model),
        text("MOUNTED AT", SurveyView.DeviceView::mounts));
    rows(
        out(),
        Form.table,
        s.listeners(),
        "Nothing is served.",
        text("PROTOCOL", SurveyView.ListenerView::protocol),
        text("ADDRESS", SurveyView.ListenerView::address),
        number("PORT", SurveyView.ListenerView::port),
        text("PROCESS", SurveyView.ListenerView::process));
    for (SurveyView.UnreadView u : s.unread()) {
      out().println("not read: " + u.fact() + " (" + u.why() + ")");
    }
  }
}
