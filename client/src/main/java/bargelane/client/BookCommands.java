package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Path;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Price books. */
@Command(
    name = "book",
    description = "Price books: what a target's sizes, storage, licences and traffic cost.",
    mixinStandardHelpOptions = true,
    subcommands = {
      BookCommands.ListBooks.class,
      BookCommands.Add.class,
      BookCommands.Show.class,
      BookCommands.Remove.class
    })
final class BookCommands {

  @Command(
      name = "list",
      description = "List price books.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane book list"})
  static final class ListBooks extends Common implements Callable<Integer> {
    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/price-books"),
          "No price books yet. Take one over: bargelane book add NAME --csv prices.csv",
          text("NAME", "name"),
          text("CURRENCY", "currency"),
          number("PRICES", "count"),
          text("FROM", "from"),
          text("BY", "by"),
          time("AT", "at"));
      return 0;
    }
  }

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
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "NAME", description = "Its name.")
    String name;

    @Option(names = "--csv", required = true, description = "The file.")
    Path csv;

    @Option(names = "--dry-run", description = "Only say what is wrong with it.")
    boolean dryRun;

    @Override
    public Integer call() {
      return imported(
          api()
              .post(
                  "/price-books",
                  Map.of("name", name, "csv", textOf("--csv", csv), "dryRun", dryRun)),
          "prices",
          "");
    }
  }

  @Command(
      name = "show",
      description = "Show a price book's prices.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane book show saltmarsh-2026"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "BOOK", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      JsonNode book = api().get("/price-books/" + escape(name));
      if (output == Form.json) {
        json(out(), book);
        return 0;
      }
      rows(
          out(),
          output,
          book.path("prices"),
          "",
          text("ITEM", "item"),
          text("NAME", "name"),
          text("UNIT", "unit"),
          text("COMMITMENT", "commitment"),
          number(book.path("currency").asText(), "price"),
          text("FROM", "from"),
          text("UNTIL", "until"));
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a price book; assessments keep the prices that they went by.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane book remove saltmarsh-2026"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "BOOK", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/price-books/" + escape(name));
      out().println("Removed the price book " + name + ".");
      return 0;
    }
  }
}
