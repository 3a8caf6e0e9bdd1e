package bargelane.client.timetable;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a timetable that no wave keeps to. */
@Command(
    name = "remove",
    description = "Remove a timetable that no wave keeps to.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane timetable remove brisk"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "TIMETABLE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/timetables/" + escape(name));
    out().println("Timetable " + name + " removed.");
    return 0;
  }
}
