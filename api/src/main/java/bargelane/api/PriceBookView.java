package bargelane.api;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.util.List;

/**
 * A price book.
 *
 * @param prices left out in lists
 */
public record PriceBookView(
    String id,
    String name,
    String currency,
    int count,
    LocalDate from,
    String by,
    Instant at,
    List<PriceView> prices) {

  /** One price; {@code until} is the first day on which it is not valid, if that was said. */
  public record PriceView(
      String item,
      String name,
      String unit,
      String commitment,
      BigDecimal price,
      LocalDate from,
      LocalDate until) {}
}
