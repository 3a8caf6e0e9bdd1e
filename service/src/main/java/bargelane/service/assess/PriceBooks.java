package bargelane.service.assess;

import bargelane.api.ImportResult;
import bargelane.api.PriceBookAdd;
import bargelane.api.PriceBookView;
import bargelane.core.assess.PriceBook;
import bargelane.core.assess.PriceBook.Price;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.time.LocalDate;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import org.hibernate.Session;

/** Price books. Assessments keep the prices that they went by: a book may change or go. */
public final class PriceBooks {

  private static final Pattern NAME = Pattern.compile("[a-zA-Z0-9][a-zA-Z0-9._-]{0,62}");

  private final Db db;
  private final Events events;
  private final Clock clock;

  public PriceBooks(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** Takes a book over, in place of one of that name; nothing of one with a bad line. */
  public ImportResult add(PriceBookAdd asked, String by) {
    String name = asked.name() == null ? "" : asked.name();
    if (!NAME.matcher(name).matches()) {
      throw ProblemException.invalid(
          "name-malformed",
          "'" + name + "' can't be the name of a price book",
          "use up to 63 letters, digits and . _ - and begin with a letter or digit");
    }
    PriceBookCsv.Outcome read = PriceBookCsv.read(name, asked.csv() == null ? "" : asked.csv());
    if (read.book().isEmpty() || asked.dryRun()) {
      return stored(read.result(), 0, false);
    }
    return db.tx(
        s -> {
          // Of two at once the second waits here, and then replaces what the first added.
          Db.lock(s, "price-book " + name);
          Optional<PriceBookEntity> known =
              Db.first(s, PriceBookEntity.class, "from PriceBookEntity where name = ?1", name);
          PriceBookEntity book = known.orElseGet(PriceBookEntity::new);
          book.name = name;
          book.currency = read.book().get().currency();
          book.prices = Json.text(read.book().get().prices());
          book.madeBy = by;
          book.madeAt = clock.instant();
          if (known.isEmpty()) {
            book.id = Ids.next("pb");
            s.persist(book);
          }
          events.tell(
              s,
              "assessment",
              "",
              "",
              by + (known.isEmpty() ? " added" : " replaced") + " the price book " + name,
              null);
          return stored(read.result(), known.isEmpty() ? 0 : read.result().rows(), true);
        });
  }

  private static ImportResult stored(ImportResult r, int changed, boolean stored) {
    return new ImportResult(
        r.rows(), r.rows() - changed, changed, 0, stored, r.problems(), r.problemCount());
  }

  private static Optional<PriceBookEntity> named(Session s, String ref) {
    return Db.first(
        s, PriceBookEntity.class, "from PriceBookEntity where name = ?1 or id = ?1", ref);
  }

  static PriceBook find(Session s, String ref) {
    PriceBookEntity book = named(s, ref).orElseThrow(() -> ProblemException.missing("book", ref));
    return new PriceBook(book.name, book.currency, prices(book));
  }

  private static List<Price> prices(PriceBookEntity book) {
    return Json.read(book.prices, new TypeReference<List<Price>>() {});
  }

  public List<PriceBookView> list() {
    return db.tx(
        s ->
            Db.list(s, PriceBookEntity.class, "from PriceBookEntity order by name").stream()
                .map(b -> view(b, false))
                .toList());
  }

  public PriceBookView view(String ref) {
    return db.tx(
        s -> view(named(s, ref).orElseThrow(() -> ProblemException.missing("book", ref)), true));
  }

  public void remove(String ref, String by) {
    db.run(
        s -> {
          PriceBookEntity book =
              named(s, ref).orElseThrow(() -> ProblemException.missing("book", ref));
          s.remove(book);
          events.tell(s, "assessment", "", "", by + " removed the price book " + book.name, null);
        });
  }

  private static PriceBookView view(PriceBookEntity book, boolean whole) {
    List<Price> prices = prices(book);
    return new PriceBookView(
        book.id,
        book.name,
        book.currency,
        prices.size(),
        prices.stream().map(Price::from).min(Comparator.naturalOrder()).orElse(LocalDate.EPOCH),
        book.madeBy,
        book.madeAt,
        whole
            ? prices.stream()
                .map(
                    p ->
                        new PriceBookView.PriceView(
                            p.item().text(),
                            p.name(),
                            p.unit(),
                            p.commitment().text(),
                            p.price(),
                            p.from(),
                            p.until().orElse(null)))
                .toList()
            : List.of());
  }
}
