package bargelane.client.usage;

import bargelane.client.FromFile;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** Import samples of what machines used. */
@Command(
    name = "add",
    description = "Import samples of what machines used.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Columns: machine, time, and of seconds, cpu, memory, read_bytes, reads, written_bytes, writes,",
      "received_bytes, sent_bytes those that were measured.",
      "",
      "Example:",
      "  bargelane usage add --csv usage.csv --dry-run"
    })
final class Add extends FromFile implements Callable<Integer> {
  @Override
  public Integer call() {
    return give("/usage", false, "samples", "days of machines ");
  }
}
