package bargelane.client.machine;

import bargelane.client.FromFile;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Import a list of machines of a site of kind csv. */
@Command(
    name = "add",
    description = "Import a list of machines of a site of kind csv.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Columns: name, and if wanted id, cpus, memory, os, firmware, power, disks, nics, label.NAME.",
      "",
      "Example:",
      "  bargelane machine add boathouse --csv machines.csv --dry-run"
    })
public final class Add extends FromFile implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Option(names = "--whole", description = "The list is complete: mark other machines as vanished.")
  boolean whole;

  @Override
  public Integer call() {
    return give("/sites/" + escape(site) + "/machines", whole, "machines", "");
  }
}
