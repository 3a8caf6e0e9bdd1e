package bargelane.client.run;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** End a test that is held. */
@Command(
    name = "finish",
    description = "End a test that is held.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane run finish run-4k2m9x"})
final class Finish extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
  String name;

  @Override
  public Integer call() {
    api().post("/runs/" + escape(name) + "/finish", null);
    out().println("The test ends; follow it: bargelane run show " + name + " --wait");
    return 0;
  }
}
