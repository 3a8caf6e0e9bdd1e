package bargelane.client.book;

import static bargelane.client.Output.*;

import bargelane.api.ImportResult;
import bargelane.client.Common;
import java.nio.file.Path;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Import a price book, in place of one of that name. */
@Command(
    name = "add",
    description = "Import a price book, in place of one of that name.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Columns: item, name, unit, price, currency, valid_from, and if wanted others; see",
      "docs/formats/price-book.md.",
      "",
      "Example:",
      "  bargelane book add saltmarsh-2026 --csv saltmarsh-2026.csv --dry-run"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "NAME", description = "Its name.")
  String name;

  @Option(names = "--csv", paramLabel = "FILE", required = true, description = "The file.")
  Path csv;

  @Option(names = "--dry-run", description = "Only say what is wrong with it.")
  boolean dryRun;

  @Override
  public Integer call() {
    return imported(
        api()
            .post(
                "/price-books",
                Map.of("name", name, "csv", textOf("--csv", csv), "dryRun", dryRun),
                ImportResult.class),
        "prices",
        "");
  }
}
