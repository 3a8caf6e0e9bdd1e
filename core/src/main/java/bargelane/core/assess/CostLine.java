package bargelane.core.assess;

import java.math.BigDecimal;
import java.math.RoundingMode;

/**
 * One line of what a machine costs. {@code monthly} is the quantity times the price less the
 * discount, rounded to cents by itself, so that totals are the sum of what is shown.
 *
 * @param what the size, class or licence
 * @param of what it is for: a disk's name, or empty
 * @param unit of the quantity: what one month's quantity counts
 * @param price of one unit, before the discount
 * @param horizon over all months asked for: each year's month, rounded, times its months
 */
public record CostLine(
    Kind kind,
    String what,
    String of,
    BigDecimal quantity,
    String unit,
    BigDecimal price,
    BigDecimal discountPercent,
    BigDecimal monthly,
    BigDecimal horizon) {

  /** What is paid for. */
  public enum Kind {
    COMPUTE,
    STORAGE,
    OPERATIONS,
    THROUGHPUT,
    LICENCE,
    ADDRESS,
    TRAFFIC;

    public String text() {
      return name().toLowerCase(java.util.Locale.ROOT);
    }
  }

  private static final int MONTHS_A_YEAR = 12;

  /** A line; {@code grows} if its quantity grows from year to year. */
  static CostLine of(
      Kind kind,
      String what,
      String of,
      BigDecimal quantity,
      String unit,
      BigDecimal price,
      boolean discounted,
      boolean grows,
      Assumptions a) {
    BigDecimal net = discounted ? price.multiply(a.net()) : price;
    BigDecimal horizon = BigDecimal.ZERO.setScale(2);
    for (int year = 0; year * MONTHS_A_YEAR < a.horizonMonths(); year++) {
      int months = Math.min(MONTHS_A_YEAR, a.horizonMonths() - year * MONTHS_A_YEAR);
      BigDecimal grown = grows ? quantity.multiply(a.growth(year)) : quantity;
      horizon = horizon.add(cents(grown.multiply(net)).multiply(BigDecimal.valueOf(months)));
    }
    return new CostLine(
        kind,
        what,
        of,
        quantity,
        unit,
        price,
        discounted ? a.discountPercent() : BigDecimal.ZERO,
        cents(quantity.multiply(net)),
        horizon);
  }

  static BigDecimal cents(BigDecimal amount) {
    return amount.setScale(2, RoundingMode.HALF_UP);
  }
}
