package bargelane.service.assess;

import bargelane.api.ImportResult;
import bargelane.core.assess.Commitment;
import bargelane.core.assess.PriceBook;
import bargelane.core.assess.PriceBook.Item;
import bargelane.core.assess.PriceBook.Price;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.CsvTable.Row;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/** Reads a price book (docs/formats/price-book.md) and gathers all that is wrong with it. */
final class PriceBookCsv {

  private static final List<String> REQUIRED =
      List.of("item", "name", "unit", "price", "currency", "valid_from");
  private static final List<String> OPTIONAL =
      List.of(
          "valid_until",
          "commitment",
          "included",
          "family",
          "generation",
          "cpus",
          "memory_gib",
          "nics",
          "disks",
          "operations",
          "throughput_mib",
          "network_mib",
          "zones",
          "media",
          "capacity_gib");

  /** A price with the line that it is from. */
  private record Told(Row row, Price price) {}

  private final CsvTable table;
  private final List<Told> told = new ArrayList<>();
  private String currency = "";
  private long currencyLine;

  private PriceBookCsv(String csv) {
    table = CsvTable.read(csv, REQUIRED, OPTIONAL);
    for (Row row : table.rows()) {
      price(row).ifPresent(p -> told.add(new Told(row, p)));
    }
    if (table.sound() && told.isEmpty()) {
      table.wrong("there are no prices in it");
    }
    overlaps();
    missing();
  }

  /** What was read: the prices, if nothing is wrong, and what is told of it. */
  record Outcome(Optional<PriceBook> book, ImportResult result) {}

  static Outcome read(String name, String csv) {
    PriceBookCsv read = new PriceBookCsv(csv);
    ImportResult result = read.table.result(read.told.size(), 0, read.table.sound());
    return new Outcome(
        read.table.sound()
            ? Optional.of(
                new PriceBook(name, read.currency, read.told.stream().map(Told::price).toList()))
            : Optional.empty(),
        result);
  }

  private Optional<Price> price(Row row) {
    Optional<Item> item =
        row.maybe(
            "item",
            v -> Arrays.stream(Item.values()).filter(i -> i.text().equals(v)).findFirst(),
            "is none of "
                + Arrays.stream(Item.values()).map(Item::text).collect(Collectors.joining(", ")));
    if (row.text("item").isEmpty()) {
      row.wrong("item", "is empty");
    }
    String name = row.text("name");
    boolean nameless = item.filter(i -> i == Item.ADDRESS || i == Item.TRAFFIC).isPresent();
    if (name.isEmpty() && !nameless) {
      row.wrong("name", "is empty");
    }
    String unit = row.text("unit");
    item.ifPresent(
        i -> {
          if (!i.units().contains(unit)) {
            row.wrong(
                "unit",
                "'"
                    + unit
                    + "' is not a unit of a "
                    + i.text()
                    + "; write "
                    + String.join(" or ", i.units()));
          }
        });
    Optional<BigDecimal> price = amount(row);
    currency(row);
    Optional<LocalDate> from =
        row.maybe("valid_from", PriceBookCsv::date, "is not a date: YYYY-MM-DD");
    if (row.text("valid_from").isEmpty()) {
      row.wrong("valid_from", "is empty");
    }
    Optional<LocalDate> until =
        row.maybe("valid_until", PriceBookCsv::date, "is not a date: YYYY-MM-DD");
    if (from.isPresent() && until.filter(u -> !u.isAfter(from.get())).isPresent()) {
      row.wrong("valid_until", "is not after valid_from");
    }
    Optional<Commitment> commitment =
        row.maybe("commitment", Commitment::of, "is not a commitment: none, 1 year or 3 years");
    if (commitment.filter(c -> c != Commitment.NONE).isPresent()
        && item.filter(i -> i != Item.SIZE).isPresent()) {
      row.wrong("commitment", "is for sizes only");
    }
    if (item.isEmpty() || price.isEmpty() || from.isEmpty()) {
      return Optional.empty();
    }
    return Optional.of(
        new Price(
            item.get(),
            name,
            unit,
            commitment.orElse(Commitment.NONE),
            price.get(),
            from.get(),
            until,
            (int) number(row, "cpus"),
            Math.round(number(row, "memory_gib") * 1024),
            new SizeLimits(
                row.text("family"),
                row.text("generation"),
                (int) number(row, "nics"),
                (int) number(row, "disks"),
                number(row, "operations"),
                number(row, "throughput_mib"),
                number(row, "network_mib"),
                Arrays.stream(row.text("zones").split(";"))
                    .map(String::strip)
                    .filter(z -> !z.isEmpty())
                    .toList()),
            row.text("media"),
            new StorageLimits(
                (long) number(row, "capacity_gib"),
                number(row, "operations"),
                number(row, "throughput_mib")),
            number(row, "included")));
  }

  private static double number(Row row, String column) {
    return row.maybe(column, CsvTable::number, "is not a number from 0 on").orElse(0.0);
  }

  private static Optional<BigDecimal> amount(Row row) {
    String text = row.text("price");
    if (text.isEmpty()) {
      row.wrong("price", "is empty");
    } else if (text.startsWith("-")) {
      row.wrong("price", "'" + text + "' is below 0");
    } else if (!text.matches("[0-9]{1,12}([.][0-9]{1,9})?")) {
      row.wrong("price", "'" + text + "' is not a price: write it as 0.041");
    } else {
      return Optional.of(new BigDecimal(text));
    }
    return Optional.empty();
  }

  private void currency(Row row) {
    String told =
        row.must("currency", c -> c.matches("[A-Z]{3}"), "is not a currency: write it as EUR");
    if (currency.isEmpty()) {
      currency = told;
      currencyLine = row.line();
    } else if (!told.isEmpty() && !told.equals(currency)) {
      row.wrong(
          "currency",
          told + ", but line " + currencyLine + " is in " + currency + ": a book has one currency");
    }
  }

  private static Optional<LocalDate> date(String text) {
    try {
      return Optional.of(LocalDate.parse(text));
    } catch (DateTimeParseException e) {
      return Optional.empty();
    }
  }

  /** Two prices for one thing at one time are a mistake; the later one of two begins anew. */
  private void overlaps() {
    Map<Price.Key, List<Told>> byKey = new LinkedHashMap<>();
    told.forEach(t -> byKey.computeIfAbsent(t.price().key(), k -> new ArrayList<>()).add(t));
    for (List<Told> all : byKey.values()) {
      all.sort(Comparator.comparing((Told t) -> t.price().from()));
      for (int i = 1; i < all.size(); i++) {
        Price former = all.get(i - 1).price();
        Price later = all.get(i).price();
        if (former.from().equals(later.from())
            || former.until().filter(u -> u.isAfter(later.from())).isPresent()) {
          all.get(i)
              .row()
              .wrong(
                  "valid_from",
                  later.from()
                      + " lies within the time of line "
                      + all.get(i - 1).row().line()
                      + ", which prices the same");
        }
      }
    }
  }

  /** A commitment without a price by the hour, or further operations of a class without a GiB's. */
  private void missing() {
    Set<String> whole = new HashSet<>();
    Map<String, Told> lacking = new HashMap<>();
    for (Told t : told) {
      Price p = t.price();
      String key = p.item() + " " + p.name().toLowerCase(Locale.ROOT);
      boolean base =
          p.item() == Item.SIZE
              ? p.commitment() == Commitment.NONE
              : p.item() != Item.STORAGE || p.unit().equals("GiB");
      if (base) {
        whole.add(key);
      } else {
        lacking.putIfAbsent(key, t);
      }
    }
    lacking.forEach(
        (key, t) -> {
          if (!whole.contains(key)) {
            t.row()
                .wrong(
                    "name",
                    t.price().item() == Item.SIZE
                        ? "size "
                            + t.price().name()
                            + " has no price by the hour without commitment"
                        : "storage " + t.price().name() + " has no price a GiB");
          }
        });
  }
}
