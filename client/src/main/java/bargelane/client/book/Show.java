package bargelane.client.book;

import static bargelane.client.Output.*;

import bargelane.api.PriceBookView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show a price book's prices. */
@Command(
    name = "show",
    description = "Show a price book's prices.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane book show saltmarsh-2026"})
final class Show extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "BOOK", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    Answer<PriceBookView> book = api().get("/price-books/" + escape(name), PriceBookView.class);
    if (output == Form.json) {
      json(out(), book.json());
      return 0;
    }
    rows(
        out(),
        output,
        book.value().prices(),
        "",
        text("ITEM", PriceBookView.PriceView::item),
        text("NAME", PriceBookView.PriceView::name),
        text("UNIT", PriceBookView.PriceView::unit),
        text("COMMITMENT", PriceBookView.PriceView::commitment),
        number(book.value().currency(), PriceBookView.PriceView::price),
        text("FROM", PriceBookView.PriceView::from),
        text("UNTIL", PriceBookView.PriceView::until));
    return 0;
  }
}
