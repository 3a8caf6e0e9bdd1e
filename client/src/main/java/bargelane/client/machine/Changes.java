package bargelane.client.machine;

import static bargelane.client.Output.*;

import bargelane.client.ChangesCommand;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what scans found different about a machine, newest first. */
@Command(
    name = "changes",
    description = "List what scans found different about a machine, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane machine changes lending-db"})
public final class Changes extends ChangesCommand {
  @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
  String machine;

  @Override
  protected String path() {
    return "/machines/" + escape(machine);
  }
}
