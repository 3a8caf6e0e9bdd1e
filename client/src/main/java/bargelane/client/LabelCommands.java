package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Rules that give labels. */
@Command(
    name = "label",
    description = "Rules that label every machine that a filter chooses, now and later.",
    mixinStandardHelpOptions = true,
    subcommands = {
      LabelCommands.ListRules.class,
      LabelCommands.Add.class,
      LabelCommands.Remove.class
    })
final class LabelCommands {

  @Command(
      name = "list",
      description = "List the rules, the one that counts first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane label list"})
  static final class ListRules extends Common implements Callable<Integer> {
    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/label-rules"),
          "No rules yet. Make one: bargelane label add app=lending --filter \"name has lending\"",
          text("RULE", "id"),
          text("LABEL", "name"),
          text("VALUE", "value"),
          text("FILTER", "filter"),
          number("MACHINES", "machines"),
          text("MADE BY", "madeBy"),
          time("AT", "madeAt"));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Give a label to every machine that a filter chooses, now and later.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane label add zone=staff --filter \"network = net-staff\""
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "NAME=VALUE", description = "The label.")
    String label;

    @Option(names = "--filter", required = true, description = "Machines that get the label.")
    String filter;

    @Override
    public Integer call() {
      int equals = label.indexOf('=');
      if (equals < 1) {
        throw new ParameterException(
            spec.commandLine(), "'" + label + "' is not a label: write it as app=lending");
      }
      JsonNode made =
          api()
              .post(
                  "/label-rules",
                  Map.of(
                      "filter",
                      filter,
                      "name",
                      label.substring(0, equals),
                      "value",
                      label.substring(equals + 1)));
      if (output == Form.json) {
        json(out(), made);
      } else {
        out()
            .println(
                "Rule "
                    + made.path("id").asText()
                    + ": "
                    + made.path("machines").asLong()
                    + " machines have it now.");
      }
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a rule, and take its label from the machines that had it from there.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane label remove lr-4k2m7p"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "RULE", description = "Its id.")
    String rule;

    @Override
    public Integer call() {
      api().delete("/label-rules/" + escape(rule));
      out().println("Rule " + rule + " removed.");
      return 0;
    }
  }
}
