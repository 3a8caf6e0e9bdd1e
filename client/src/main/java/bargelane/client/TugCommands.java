package bargelane.client;

import static bargelane.client.Output.*;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** The workers that move disk bytes. */
@Command(
    name = "tug",
    description = "Workers that move disk bytes.",
    mixinStandardHelpOptions = true,
    subcommands = {TugCommands.ListTugs.class})
final class TugCommands {

  @Command(
      name = "list",
      description = "List the tugs, their versions and what they have in hand.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane tug list"})
  static final class ListTugs extends Common implements Callable<Integer> {
    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/tugs"),
          "No tug has asked for work yet.",
          text("TUG", "name"),
          text("VERSION", "version"),
          time("ASKED FOR WORK", "heardAt"),
          number("PASSES AT WORK", "passes"));
      return 0;
    }
  }
}
