package bargelane.client.book;

import static bargelane.client.Output.*;

import bargelane.api.PriceBookView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List price books. */
@Command(
    name = "list",
    description = "List price books.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane book list"})
final class ListBooks extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/price-books", PriceBookView.class),
        "No price books yet. Take one over: bargelane book add NAME --csv prices.csv",
        text("NAME", PriceBookView::name),
        text("CURRENCY", PriceBookView::currency),
        number("PRICES", PriceBookView::count),
        text("FROM", PriceBookView::from),
        text("BY", PriceBookView::by),
        time("AT", PriceBookView::at));
    return 0;
  }
}
