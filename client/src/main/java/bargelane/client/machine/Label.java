package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.ImportResult;
import bargelane.api.LabelResult;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Give labels to machines by hand, or take such away. */
@Command(
    name = "label",
    description = "Give labels to machines by hand, or take such away.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane machine label --filter \"name has lending\" --set app=lending --remove temporary"
    })
final class Label extends Common implements Callable<Integer> {
  @Parameters(arity = "0..*", paramLabel = "MACHINE", description = "Names or ids.")
  List<String> names = List.of();

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      defaultValue = "",
      description = "All that it chooses.")
  String filter;

  @Option(names = "--set", paramLabel = "NAME=VALUE", description = "A label to give.")
  Map<String, String> set = Map.of();

  @Option(names = "--remove", paramLabel = "NAME", description = "A label to take away.")
  List<String> remove = List.of();

  @Option(
      names = "--csv",
      paramLabel = "FILE",
      description = "A list: columns machine and label.NAME.")
  Path csv;

  @Option(names = "--dry-run", description = "With a list: only say what would become of it.")
  boolean dryRun;

  @Override
  public Integer call() {
    if (csv != null) {
      return imported(
          api()
              .post(
                  "/machines/labels/list",
                  Map.of("csv", textOf("--csv", csv), "dryRun", dryRun, "whole", false),
                  ImportResult.class),
          "machines",
          "");
    }
    Answer<LabelResult> done =
        api()
            .post(
                "/machines/labels",
                Map.of("machines", names, "filter", filter, "set", set, "remove", remove),
                LabelResult.class);
    if (output == Output.Form.json) {
      json(out(), done.json());
    } else {
      out()
          .println(
              "changed " + done.value().changed() + " of " + done.value().chosen() + " chosen");
    }
    return 0;
  }
}
