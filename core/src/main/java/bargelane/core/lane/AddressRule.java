package bargelane.core.lane;

import bargelane.core.net.Address;
import bargelane.core.word.Worded;
import java.util.Arrays;
import java.util.Optional;

/**
 * How a card gets its address at the target: {@code keep} the one that it has, {@code
 * keep-or-choose}: keep it where the subnet holds it, {@code choose} a free one, leave it to the
 * {@code platform}, take a free one of a pool ({@code FIRST-LAST}), or one that is given.
 *
 * @param from the address that is given, or the first of the pool; in canonical form
 * @param to the last of the pool
 */
public record AddressRule(How how, String from, String to) {

  /** The kinds. */
  public enum How implements Worded {
    KEEP("keep"),
    KEEP_OR_CHOOSE("keep-or-choose"),
    CHOOSE("choose"),
    PLATFORM("platform"),
    POOL("pool"),
    GIVEN("given");

    private final String word;

    How(String word) {
      this.word = word;
    }

    @Override
    public String word() {
      return word;
    }
  }

  /** Words that people write, in the order in which they are offered. */
  public static final String WORDS =
      "keep, keep-or-choose, choose, platform, an address, or FIRST-LAST for a pool";

  private static AddressRule plain(How how) {
    return new AddressRule(how, "", "");
  }

  /** What lanes that say nothing else do. */
  public static AddressRule usual(boolean keep) {
    return plain(keep ? How.KEEP_OR_CHOOSE : How.CHOOSE);
  }

  /** Reads what a person wrote; none if it is no rule, or a pool that ends before it begins. */
  public static Optional<AddressRule> read(String text) {
    Optional<How> word =
        Arrays.stream(How.values())
            .filter(h -> h != How.POOL && h != How.GIVEN && h.word().equals(text))
            .findFirst();
    if (word.isPresent()) {
      return word.map(AddressRule::plain);
    }
    int dash = text.indexOf('-');
    if (dash < 0) {
      return Address.canonical(text).map(a -> new AddressRule(How.GIVEN, a, ""));
    }
    Optional<String> first = Address.canonical(text.substring(0, dash).strip());
    Optional<String> last = Address.canonical(text.substring(dash + 1).strip());
    return first.isPresent() && last.isPresent() && Address.upTo(first.get(), last.get())
        ? Optional.of(new AddressRule(How.POOL, first.get(), last.get()))
        : Optional.empty();
  }

  /** As a person writes it. */
  public String text() {
    return switch (how) {
      case GIVEN -> from;
      case POOL -> from + "-" + to;
      default -> how.word();
    };
  }
}
