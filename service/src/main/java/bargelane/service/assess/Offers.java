package bargelane.service.assess;

import bargelane.core.assess.Offer;
import bargelane.core.assess.PriceBook;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.time.LocalDate;
import java.util.Optional;
import org.hibernate.Session;

/** What an assessment's target offers, and at which prices. */
final class Offers {

  private Offers() {}

  /**
   * What is offered on a day; why nothing is, is told.
   *
   * @param book a price book by its name; the target's own prices if it is empty
   */
  static Offer of(Session s, AssessmentEntity entity, String book, LocalDate today) {
    Optional<SiteEntity> site =
        Optional.ofNullable(entity.targetSiteId).map(id -> s.find(SiteEntity.class, id));
    if (site.isEmpty() && book.isEmpty()) {
      throw ProblemException.invalid(
          "target-missing",
          "an assessment needs a target",
          "name a site (--target), or a price book that describes its sizes (--book)");
    }
    Optional<Inventory> inventory = site.map(x -> new Inventories(s).of(x));
    if (book.isEmpty()) {
      Offer told = Offer.told(site.get().name, inventory.get());
      if (told.sizes().isEmpty()) {
        throw ProblemException.invalid(
            "sizes-missing",
            "site " + site.get().name + " offers no sizes and gives no prices",
            Remedy.of("name a price book that describes sizes", Action.BOOK_ADD));
      }
      long currencies =
          inventory.get().sizes().stream().map(Inventory.Size::currency).distinct().count();
      if (currencies > 1) {
        throw ProblemException.invalid(
            "currencies-mixed",
            "site " + site.get().name + " gives prices in several currencies",
            Remedy.of("write a price book in one of them", Action.BOOK_ADD));
      }
      return told;
    }
    PriceBook prices = PriceBooks.find(s, book);
    Offer offer = prices.offer(today, inventory.filter(i -> !i.sizes().isEmpty()));
    if (offer.sizes().isEmpty() || offer.storages().isEmpty()) {
      throw ProblemException.invalid(
          "prices-missing",
          "price book "
              + book
              + " has no "
              + (offer.sizes().isEmpty() ? "size" : "storage class")
              + " that is "
              + (site.isPresent() ? "offered by " + site.get().name + " and " : "described and ")
              + "priced on "
              + today,
          offer.notes().isEmpty()
              ? Remedy.of("look at its dates", Action.BOOK_SHOW, book)
              : Remedy.advice(String.join("; ", offer.notes())));
    }
    return offer;
  }
}
