package bargelane.client;

import static bargelane.client.Output.*;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Recovery points. */
@Command(
    name = "point",
    description = "Recovery points.",
    mixinStandardHelpOptions = true,
    subcommands = {PointCommands.ListPoints.class})
final class PointCommands {

  @Command(
      name = "list",
      description = "List the recovery points of a wave, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane point list lending"})
  static final class ListPoints extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/waves/" + escape(name) + "/points"),
          "No recovery points yet.",
          number("NO", "number"),
          time("AS OF", "asOf"),
          text("AT", "site"),
          text("CONSISTENCY", "consistency"),
          text("ONE INSTANT", "oneInstant"),
          number("SPREAD MS", "spreadMs"),
          text("VERIFIED", "verified"),
          bytes("SENT", "sent"));
      return 0;
    }
  }
}
