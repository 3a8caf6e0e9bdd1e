package bargelane.core.assess;

import bargelane.core.assess.Offer.LicencePrice;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Offer.StorageOffer;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;

/** Prices of a target, as somebody wrote them down (docs/formats/price-book.md). */
public record PriceBook(String name, String currency, List<Price> prices) {

  /** What a price is for. */
  public enum Item {
    SIZE("hour"),
    STORAGE("GiB", "operation", "MiB"),
    LICENCE("processor", "machine"),
    ADDRESS("month"),
    TRAFFIC("GiB"),
    MACHINE("month");

    private final List<String> units;

    Item(String... units) {
      this.units = List.of(units);
    }

    public List<String> units() {
      return units;
    }

    public String text() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /**
   * One price.
   *
   * @param until the first day on which it is not valid; none if it is until another begins
   * @param included how many of the unit are within the price of a GiB
   */
  public record Price(
      Item item,
      String name,
      String unit,
      Commitment commitment,
      BigDecimal price,
      LocalDate from,
      Optional<LocalDate> until,
      int cpus,
      long memoryMib,
      SizeLimits size,
      String media,
      StorageLimits storage,
      double included) {

    /** Prices of one key don't hold at the same time. */
    public record Key(Item item, String name, String unit, Commitment commitment) {}

    public Key key() {
      return new Key(item, name.toLowerCase(Locale.ROOT), unit, commitment);
    }

    private boolean holds(LocalDate on) {
      return !from.isAfter(on) && (until.isEmpty() || on.isBefore(until.get()));
    }
  }

  /** Which prices hold on a day: of each key the one that began last. */
  private Map<Price.Key, Price> on(LocalDate day) {
    Map<Price.Key, Price> all = new LinkedHashMap<>();
    for (Price p : prices) {
      if (p.holds(day)) {
        all.merge(p.key(), p, (a, b) -> b.from().isAfter(a.from()) ? b : a);
      }
    }
    return all;
  }

  /**
   * What these prices offer on a day. Where a site is given, what it offers and its limits count,
   * and its sizes and classes without a price are left out, with a note; where there is none, what
   * the book describes.
   */
  public Offer offer(LocalDate day, Optional<Inventory> site) {
    Map<Price.Key, Price> valid = on(day);
    Map<String, SizeOffer> sizes = new LinkedHashMap<>();
    Map<String, StorageOffer> storages = new LinkedHashMap<>();
    Map<String, LicencePrice> licences = new TreeMap<>();
    Map<String, BigDecimal> today = new TreeMap<>();
    Optional<BigDecimal> address = Optional.empty();
    Optional<BigDecimal> traffic = Optional.empty();
    Set<String> unknown = new LinkedHashSet<>();
    for (Price p : valid.values()) {
      switch (p.item()) {
        case SIZE -> {
          if (p.commitment() == Commitment.NONE) {
            size(p, valid, site)
                .ifPresentOrElse(s -> sizes.put(s.id(), s), () -> unknown.add(p.name()));
          }
        }
        case STORAGE -> {
          if (p.unit().equals("GiB")) {
            storage(p, valid, site)
                .ifPresentOrElse(s -> storages.put(s.id(), s), () -> unknown.add(p.name()));
          }
        }
        case LICENCE ->
            licences.put(
                p.key().name(),
                new LicencePrice(p.key().name(), p.price(), p.unit().equals("processor")));
        case ADDRESS -> address = Optional.of(p.price());
        case TRAFFIC -> traffic = Optional.of(p.price());
        case MACHINE -> today.put(p.key().name(), p.price());
        default -> throw new IllegalStateException("no such item: " + p.item());
      }
    }
    return new Offer(
        "price book " + name + " on " + day,
        currency,
        List.copyOf(sizes.values()),
        List.copyOf(storages.values()),
        licences,
        address,
        traffic,
        today,
        notes(site, sizes, storages, unknown));
  }

  private List<String> notes(
      Optional<Inventory> site,
      Map<String, SizeOffer> sizes,
      Map<String, StorageOffer> storages,
      Set<String> unknown) {
    List<String> notes = new ArrayList<>();
    List<String> unpriced = new ArrayList<>();
    site.ifPresent(
        i -> {
          i.sizes().stream()
              .map(Inventory.Size::id)
              .filter(s -> !sizes.containsKey(s))
              .forEach(unpriced::add);
          i.storages().stream()
              .map(Inventory.Storage::id)
              .filter(s -> !storages.containsKey(s))
              .forEach(unpriced::add);
        });
    if (!unpriced.isEmpty()) {
      notes.add("without a price, so never chosen: " + String.join(", ", unpriced));
    }
    if (!unknown.isEmpty()) {
      notes.add(
          (site.isPresent() ? "priced, but not offered there: " : "priced, but not described: ")
              + String.join(", ", unknown));
    }
    return notes;
  }

  private static Optional<SizeOffer> size(
      Price p, Map<Price.Key, Price> valid, Optional<Inventory> site) {
    Map<Commitment, BigDecimal> committed = new EnumMap<>(Commitment.class);
    for (Commitment c : Commitment.values()) {
      Price of = valid.get(new Price.Key(Item.SIZE, p.key().name(), p.unit(), c));
      if (c != Commitment.NONE && of != null) {
        committed.put(c, of.price());
      }
    }
    if (site.isPresent()) {
      return site.get().sizes().stream()
          .filter(s -> s.id().equalsIgnoreCase(p.name()))
          .findFirst()
          .map(
              s ->
                  new SizeOffer(s.id(), s.cpus(), s.memoryMib(), s.limits(), p.price(), committed));
    }
    return p.cpus() == 0 || p.memoryMib() == 0
        ? Optional.empty()
        : Optional.of(
            new SizeOffer(p.name(), p.cpus(), p.memoryMib(), p.size(), p.price(), committed));
  }

  private static Optional<StorageOffer> storage(
      Price p, Map<Price.Key, Price> valid, Optional<Inventory> site) {
    Optional<Price> operation = further(valid, p, "operation");
    Optional<Price> mib = further(valid, p, "MiB");
    Optional<Inventory.Storage> told =
        site.flatMap(
            i -> i.storages().stream().filter(s -> s.id().equalsIgnoreCase(p.name())).findFirst());
    if (site.isPresent() && told.isEmpty()) {
      return Optional.empty();
    }
    return Optional.of(
        new StorageOffer(
            told.map(Inventory.Storage::id).orElse(p.name()),
            told.map(Inventory.Storage::media).orElse(p.media()),
            told.map(Inventory.Storage::limits).orElse(p.storage()),
            p.price(),
            operation.map(Price::included).orElse(0.0),
            operation.map(Price::price),
            mib.map(Price::included).orElse(0.0),
            mib.map(Price::price)));
  }

  private static Optional<Price> further(Map<Price.Key, Price> valid, Price p, String unit) {
    return Optional.ofNullable(
        valid.get(new Price.Key(Item.STORAGE, p.key().name(), unit, Commitment.NONE)));
  }
}
