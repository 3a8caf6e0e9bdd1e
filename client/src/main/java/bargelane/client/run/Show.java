package bargelane.client.run;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Follow;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Show a run with its steps. */
@Command(
    name = "show",
    description = "Show a run with its steps.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane run show run-4k2m9x --wait"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
  String name;

  @Option(names = "--wait", description = "Follow the run until it is over.")
  boolean wait;

  @Override
  public Integer call() {
    Answer<RunView> run = api().get("/runs/" + escape(name), RunView.class);
    if (wait && run.value().endedAt() == null) {
      return Follow.print(api(), run.value(), out(), err());
    }
    return RunPrinter.print(this, run);
  }
}
