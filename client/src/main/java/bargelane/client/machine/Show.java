package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.api.MachineView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show a machine. */
@Command(
    name = "show",
    description = "Show a machine.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane machine show lending-db"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    return MachinePrinter.print(this, api().get("/machines/" + escape(name), MachineView.class));
  }
}
