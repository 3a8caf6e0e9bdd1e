package bargelane.client.fitness;

import static bargelane.client.Output.*;

import bargelane.api.FitnessRulesView;
import bargelane.client.Answer;
import bargelane.client.Common;
import java.nio.file.Path;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Give rules of the house, in place of those of that name. */
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
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "NAME", description = "Name of the rules.")
  String name;

  @Option(names = "--file", paramLabel = "FILE", required = true, description = "The file.")
  Path file;

  @Override
  public Integer call() {
    Answer<FitnessRulesView> made =
        api()
            .post(
                "/fitness-rules",
                Map.of("name", name, "yaml", textOf("--file", file)),
                FitnessRulesView.class);
    if (output != Form.table) {
      json(out(), made.json());
      return 0;
    }
    out()
        .println(
            "Rules "
                + name
                + " "
                + made.value().version()
                + ": "
                + made.value().rules().size()
                + " rules, "
                + made.value().systems()
                + " systems. They count from the next revision on.");
    return 0;
  }
}
