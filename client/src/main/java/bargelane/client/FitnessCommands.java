package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.nio.file.Path;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Rules of fitness. */
@Command(
    name = "fitness",
    description = "Rules by which assessments judge whether machines go.",
    mixinStandardHelpOptions = true,
    subcommands = {
      FitnessCommands.ListRules.class,
      FitnessCommands.Add.class,
      FitnessCommands.Remove.class
    })
final class FitnessCommands {

  @Command(
      name = "list",
      description = "List the rules: those that come with the service and those of the house.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane fitness list"})
  static final class ListRules extends Common implements Callable<Integer> {
    @Override
    public Integer call() {
      JsonNode sets = api().get("/fitness-rules");
      if (output == Form.json) {
        json(out(), sets);
        return 0;
      }
      ArrayNode all = ApiClient.JSON.createArrayNode();
      for (JsonNode set : sets) {
        for (JsonNode rule : set.path("rules")) {
          ObjectNode line = rule.deepCopy();
          line.put("set", set.path("name").asText() + " " + set.path("version").asText());
          all.add(line);
        }
      }
      rows(
          out(),
          output,
          all,
          "",
          text("RULES", "set"),
          text("ID", "id"),
          text("CODE", "code"),
          text("EFFECT", "effect"),
          of("WHEN", r -> join(r.path("when"), ", ")));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Give rules of the house, in place of those of that name.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "The file is YAML: see docs/formats/fitness.md. A rule takes the place of a shipped one of its id.",
        "",
        "Example:",
        "  bargelane fitness add house --file house-rules.yaml"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "NAME", description = "Name of the rules.")
    String name;

    @Option(names = "--file", required = true, description = "The file.")
    Path file;

    @Override
    public Integer call() {
      JsonNode made =
          api().post("/fitness-rules", Map.of("name", name, "yaml", textOf("--file", file)));
      if (output != Form.table) {
        json(out(), made);
        return 0;
      }
      out()
          .println(
              "Rules "
                  + name
                  + " "
                  + made.path("version").asText()
                  + ": "
                  + made.path("rules").size()
                  + " rules, "
                  + made.path("systems").asInt()
                  + " systems. They count from the next revision on.");
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Remove rules of the house.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane fitness remove house"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "NAME", description = "Name of the rules.")
    String name;

    @Override
    public Integer call() {
      api().delete("/fitness-rules/" + escape(name));
      out().println("Removed the rules " + name + ".");
      return 0;
    }
  }
}
