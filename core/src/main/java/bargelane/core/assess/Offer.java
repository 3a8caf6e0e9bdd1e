package bargelane.core.assess;

import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.StorageLimits;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What a target offers and what it costs, in one currency.
 *
 * @param source who told the prices
 * @param licences by their name in lower case
 * @param address a public address a month; none if it is not priced
 * @param traffic a GiB that leaves for outside networks; none if it is not priced
 * @param today what machines cost a month where they are, by their name in lower case
 * @param notes what a reader of figures from this offer must know
 */
public record Offer(
    String source,
    String currency,
    List<SizeOffer> sizes,
    List<StorageOffer> storages,
    Map<String, LicencePrice> licences,
    Optional<BigDecimal> address,
    Optional<BigDecimal> traffic,
    Map<String, BigDecimal> today,
    List<String> notes) {

  /** A size with its price an hour, and those under commitments where there are such. */
  public record SizeOffer(
      String id,
      int cpus,
      long memoryMib,
      SizeLimits limits,
      BigDecimal hourly,
      Map<Commitment, BigDecimal> committed) {}

  /**
   * A storage class.
   *
   * @param freeOperations a second and disk, within the price of the capacity
   * @param operation a month for each further one a second; none if they aren't sold
   * @param freeMib MiB a second and disk, within the price of the capacity
   * @param mib a month for each further MiB a second; none if they aren't sold
   */
  public record StorageOffer(
      String id,
      String media,
      StorageLimits limits,
      BigDecimal gib,
      double freeOperations,
      Optional<BigDecimal> operation,
      double freeMib,
      Optional<BigDecimal> mib) {}

  /** A licence's price a month, for each processor or for the machine. */
  public record LicencePrice(String name, BigDecimal monthly, boolean perCore) {}

  /** What a site's own platform tells; it tells no licences, addresses and traffic. */
  public static Offer told(String site, Inventory inventory) {
    String currency =
        inventory.sizes().stream().map(Inventory.Size::currency).findFirst().orElse("");
    return new Offer(
        "prices that " + site + " tells",
        currency,
        inventory.sizes().stream()
            .map(
                s ->
                    new SizeOffer(
                        s.id(), s.cpus(), s.memoryMib(), s.limits(), s.pricePerHour(), Map.of()))
            .toList(),
        inventory.storages().stream()
            .map(
                s ->
                    new StorageOffer(
                        s.id(),
                        s.media(),
                        s.limits(),
                        s.pricePerGibMonth(),
                        0,
                        Optional.empty(),
                        0,
                        Optional.empty()))
            .toList(),
        Map.of(),
        Optional.empty(),
        Optional.empty(),
        Map.of(),
        List.of("licences, public addresses and traffic are not in these prices"));
  }

  /** The largest disk that any class holds, in GiB; 0 if it is not told. */
  public long largestGib() {
    return storages.stream().anyMatch(s -> s.limits().gib() == 0)
        ? 0
        : storages.stream().mapToLong(s -> s.limits().gib()).max().orElse(0);
  }
}
