package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LinkView;
import bargelane.api.LinkView.LinkEndView;
import bargelane.api.RunView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Follow;
import bargelane.client.Output;
import bargelane.text.Durations;
import java.io.PrintWriter;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.Callable;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Show what the way between a lane's sites carries, or measure it. */
@Command(
    name = "link",
    description =
        "Show what the way between a lane's sites carries, as it was measured last from where the service runs: how long"
            + " each site and a disk at it take to answer, and how fast bytes are copied there and back. Measuring makes"
            + " a volume of 64 MiB at each site, removes both, and takes about ten seconds of all that the link carries.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane link mill-to-marsh",
      "  bargelane lane link mill-to-marsh --measure"
    })
final class Link extends Common implements Callable<Integer> {
  private static final double TIB = 1L << 40;

  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(names = "--measure", description = "Measure it now, and follow the run until it is over.")
  boolean measure;

  @Override
  public Integer call() {
    String path = "/lanes/" + escape(name) + "/link";
    int code = measure ? measured(api().post(path, null, RunView.class).value()) : 0;
    Answer<LinkView> link = api().get(path, LinkView.class);
    if (output == Output.Form.json) {
      Output.json(out(), link.json());
    } else {
      print(out(), link.value());
    }
    return code;
  }

  /** Follows the run to its end; beside the answer for a program its lines are for people. */
  private int measured(RunView run) {
    return Follow.print(api(), run, output == Output.Form.json ? err() : out(), err());
  }

  private void print(PrintWriter out, LinkView link) {
    if (link.measuredAt() == null) {
      out.println("This link was not measured yet.");
      out.println("Measure it: bargelane lane link " + name + " --measure");
      return;
    }
    out.println("Measured " + local(link.measuredAt()) + " from where the service runs.");
    for (LinkEndView end : List.of(link.from(), link.to())) {
      out.println(end(end));
    }
    rate(out, link.from(), link.to(), link.there());
    rate(out, link.to(), link.from(), link.back());
    if (!link.run().isEmpty()) {
      out.println("It is being measured: bargelane run show " + link.run() + " --wait");
    }
  }

  private static String end(LinkEndView end) {
    StringBuilder text = new StringBuilder("  ").append(end.site()).append(": ");
    text.append(end.answers() == null ? "no answer" : "answers in " + millis(end.answers()));
    if (!end.disks().isEmpty()) {
      text.append("; disks ");
      text.append(
          end.disks().equals("connection") ? "through the same connection" : "at " + end.disks());
      text.append(end.delay() == null ? ": not reached" : " answer in " + millis(end.delay()));
    }
    return end.problem().isEmpty()
        ? text.toString()
        : text.append("\n    problem: ").append(end.problem()).toString();
  }

  private static String millis(long micros) {
    return String.format(Locale.ROOT, micros < 10_000 ? "%.2f ms" : "%.0f ms", micros / 1000.0);
  }

  private static void rate(
      PrintWriter out, LinkEndView from, LinkEndView to, @Nullable Long bytes) {
    if (bytes != null) {
      out.println(
          "  "
              + from.site()
              + " to "
              + to.site()
              + ": "
              + size(bytes)
              + "/s; 1 TiB takes "
              + Durations.seconds(Math.floor(TIB / Math.max(1, bytes) / 60) * 60));
    }
  }
}
