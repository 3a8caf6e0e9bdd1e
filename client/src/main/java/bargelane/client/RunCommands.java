package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Runs: pieces of work that can be followed. */
@Command(
    name = "run",
    description = "Runs: pieces of work that can be followed.",
    mixinStandardHelpOptions = true,
    subcommands = {RunCommands.ListRuns.class, RunCommands.Show.class, RunCommands.Finish.class})
final class RunCommands {

  @Command(
      name = "list",
      description = "List runs, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane run list --open"})
  static final class ListRuns extends Common implements Callable<Integer> {
    @Option(names = "--open", description = "Only those that are not over.")
    boolean open;

    @Option(names = "--passes", description = "The passes of timetables too.")
    boolean passes;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/runs?open=" + open + "&passes=" + passes),
          "No runs.",
          text("ID", "id"),
          text("TITLE", "title"),
          text("STATE", "state"),
          time("STARTED", "startedAt"),
          time("ENDED", "endedAt"),
          text("BY", "startedBy"));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a run with its steps.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane run show run-4k2m9x --wait"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Override
    public Integer call() {
      JsonNode run = api().get("/runs/" + escape(name));
      if (wait && run.path("endedAt").isNull()) {
        return Follow.print(api(), run, out(), err());
      }
      return RunPrinter.print(this, run);
    }
  }

  @Command(
      name = "finish",
      description = "End a test that is held.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane run finish run-4k2m9x"})
  static final class Finish extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
    String name;

    @Override
    public Integer call() {
      api().post("/runs/" + escape(name) + "/finish", null);
      out().println("The test ends; follow it: bargelane run show " + name + " --wait");
      return 0;
    }
  }
}
