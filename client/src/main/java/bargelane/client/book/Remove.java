package bargelane.client.book;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Remove a price book; assessments keep the prices that they went by. */
@Command(
    name = "remove",
    description = "Remove a price book; assessments keep the prices that they went by.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane book remove saltmarsh-2026"})
final class Remove extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "BOOK", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    api().delete("/price-books/" + escape(name));
    out().println("Removed the price book " + name + ".");
    return 0;
  }
}
