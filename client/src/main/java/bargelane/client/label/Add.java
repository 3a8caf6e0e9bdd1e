package bargelane.client.label;

import static bargelane.client.Output.*;

import bargelane.api.LabelRuleView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.text.Counts;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Give a label to every machine that a filter chooses, now and later. */
@Command(
    name = "add",
    description = "Give a label to every machine that a filter chooses, now and later.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane label add zone=staff --filter \"network = net-staff\""})
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "NAME=VALUE", description = "The label.")
  String label;

  @Option(
      names = "--filter",
      paramLabel = "FILTER",
      required = true,
      description = "Machines that get the label.")
  String filter;

  @Override
  public Integer call() {
    int equals = label.indexOf('=');
    if (equals < 1) {
      throw new ParameterException(
          spec.commandLine(), "'" + label + "' is not a label: write it as app=lending");
    }
    Answer<LabelRuleView> made =
        api()
            .post(
                "/label-rules",
                Map.of(
                    "filter",
                    filter,
                    "name",
                    label.substring(0, equals),
                    "value",
                    label.substring(equals + 1)),
                LabelRuleView.class);
    if (output == Form.json) {
      json(out(), made.json());
    } else {
      out()
          .println(
              "Rule "
                  + made.value().id()
                  + ": "
                  + Counts.of(made.value().machines(), "machine has", "machines have")
                  + " it now.");
    }
    return 0;
  }
}
