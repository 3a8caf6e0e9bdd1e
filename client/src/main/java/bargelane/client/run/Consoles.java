package bargelane.client.run;

import static bargelane.client.Output.*;

import bargelane.api.ConsoleView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Show what the guests that a run starts write to their serial consoles. */
@Command(
    name = "console",
    description = {
      "Show the serial consoles of the guests that a run starts: the last 64 KiB of each, and what"
          + " they say of the start. They are kept with the run."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane run console run-4k2m9x lending-app"})
final class Consoles extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
  String name;

  @Parameters(index = "1", paramLabel = "MACHINE", arity = "0..1", description = "One machine.")
  String machine;

  @Override
  public Integer call() {
    Answer<List<ConsoleView>> all =
        api().list("/runs/" + escape(name) + "/consoles", ConsoleView.class);
    if (output == Output.Form.json) {
      json(out(), all.json());
      return 0;
    }
    List<ConsoleView> chosen =
        all.value().stream().filter(c -> machine == null || c.machine().equals(machine)).toList();
    if (chosen.isEmpty() && machine != null) {
      throw new ParameterException(
          spec.commandLine(),
          "run "
              + name
              + " has no console of a machine called "
              + machine
              + ": leave the machine out to see those that there are");
    }
    if (chosen.isEmpty()) {
      out()
          .println(
              "No console: the run has started no machine yet, or the site keeps no serial console.");
    }
    for (ConsoleView c : chosen) {
      out().println("==== " + c.machine() + " at " + c.site() + ", changed " + local(c.at()));
      out().println(c.text());
      if (!c.sign().isEmpty()) {
        out().println("---- " + c.machine() + ": " + c.cause() + ".");
        if (c.end()) {
          out().println("     remedy: " + Remedies.text(c.remedy()));
        }
      }
    }
    return 0;
  }
}
