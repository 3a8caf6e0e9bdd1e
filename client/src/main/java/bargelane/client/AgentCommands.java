package bargelane.client;

import static bargelane.client.Output.*;

import bargelane.api.Durations;
import com.fasterxml.jackson.databind.JsonNode;
import java.time.Duration;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Agents in guests. */
@Command(
    name = "agent",
    description = "Agents of sites of kind agents: each reports the machine it runs on.",
    mixinStandardHelpOptions = true,
    subcommands = {
      AgentCommands.ListAgents.class,
      AgentCommands.Key.class,
      AgentCommands.Remove.class
    })
final class AgentCommands {

  @Command(
      name = "list",
      description = "List the agents of a site, the silent ones first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane agent list annexes"})
  static final class ListAgents extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/sites/" + escape(site) + "/agents"),
          "No agents yet. The line to paste on a machine: bargelane agent key " + site,
          text("AGENT", "id"),
          text("MACHINE", "machine"),
          text("STATE", "state"),
          text("VERSION", "version"),
          text("RUNS AS", "account"),
          time("LAST REPORT", "heardAt"),
          time("SURVEYED", "surveyedAt"),
          of(
              "CAN'T READ",
              a -> a.path("unread").isEmpty() ? "-" : a.path("unread").size() + " facts"),
          of("CLOCK AHEAD", a -> clock(a.path("clockAheadSeconds").asDouble())));
      return 0;
    }

    private static String clock(double seconds) {
      return Math.abs(seconds) < 1 ? "-" : Durations.seconds(seconds);
    }
  }

  @Command(
      name = "key",
      description = "Make the line to paste on one machine: it is good once, for some time.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane agent key annexes --valid 4h"})
  static final class Key extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    @Option(
        names = "--valid",
        paramLabel = "DURATION",
        defaultValue = "1h",
        description = "How long the key is good, up to 7d (default: 1h).")
    Duration valid;

    @Override
    public Integer call() {
      JsonNode made =
          api()
              .post(
                  "/sites/" + escape(site) + "/agents/keys",
                  Map.of("validSeconds", valid.toSeconds()));
      if (output == Form.json) {
        json(out(), made);
      } else {
        out()
            .println(
                "Paste this on the machine, once, before "
                    + local(made.path("expiresAt").asText())
                    + ", as root or as an ordinary account:");
        out().println();
        out().println(made.path("line").asText());
      }
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Take an agent from a site: it is refused from now on.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane agent remove annexes ag-4k2m7p"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    @Parameters(index = "1", paramLabel = "AGENT", description = "Its id, or its machine's name.")
    String agent;

    @Override
    public Integer call() {
      api().delete("/sites/" + escape(site) + "/agents/" + escape(agent));
      out()
          .println(
              agent
                  + " is not an agent of "
                  + site
                  + " any more. On its machine, the line that installed it takes it away: … | sh -s remove");
      return 0;
    }
  }
}
