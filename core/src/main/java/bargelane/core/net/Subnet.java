package bargelane.core.net;

import inet.ipaddr.IPAddress;
import inet.ipaddr.IPAddressString;
import inet.ipaddr.IPAddressStringParameters;
import java.math.BigInteger;
import java.util.Optional;
import java.util.function.Predicate;

/**
 * The range of a network in CIDR notation: IPv4 (RFC 4632) or IPv6 (RFC 4291, section 2.3). By our
 * convention the first address after the network's own is the gateway's. The network's own address,
 * the gateway's and, of IPv4, the last one (broadcast) are not given out.
 */
public final class Subnet {

  private static final IPAddressStringParameters CIDR =
      Address.STRICT.toBuilder().allowPrefix(true).toParams();

  private final IPAddress block;

  /** Of a range of IPv4 its first and its last address as numbers; none lies in one of IPv6. */
  private final long first;

  private final long last;

  private Subnet(IPAddress block) {
    this.block = block;
    this.first = block.isIPv6() ? 0 : block.getLower().getValue().longValue();
    this.last = block.isIPv6() ? -1 : block.getUpper().getValue().longValue();
  }

  /** Reads {@code a.b.c.d/n} or {@code x:y::/n}; none if it is no range in this notation. */
  public static Optional<Subnet> of(String cidr) {
    if (cidr == null || cidr.indexOf('/') < 0) {
      return Optional.empty();
    }
    return Optional.ofNullable(new IPAddressString(cidr.strip(), CIDR).getAddress())
        .filter(IPAddress::isPrefixed)
        .map(a -> new Subnet(a.toPrefixBlock()));
  }

  /** The range of an address of IPv4 under a mask; none if either can't be read. */
  public static Optional<Subnet> masked(String address, String mask) {
    return Address.read(mask)
        .map(m -> m.getBlockMaskPrefixLength(true))
        .flatMap(bits -> of(address + "/" + bits));
  }

  /** Whether the range is of IPv6. */
  public boolean six() {
    return block.isIPv6();
  }

  /** Whether an address lies in the range; not if it is none, or of the other version of IP. */
  public boolean contains(String address) {
    long number = Address.number(address);
    return number >= 0
        ? first <= number && number <= last
        : Address.read(address).map(block::contains).orElse(false);
  }

  /** Whether two ranges hold an address in common. */
  public boolean overlaps(Subnet other) {
    return six() == other.six() && block.intersect(other.block) != null;
  }

  /** Bits of the range's prefix. */
  public int prefix() {
    return block.getPrefixLength();
  }

  /** The mask of IPv4 as a dotted quad; of IPv6 the length of the prefix. */
  public String netmask() {
    return six()
        ? String.valueOf(prefix())
        : block.getNetwork().getNetworkMask(prefix(), false).toCanonicalString();
  }

  /** The gateway's address by our convention: the first one after the network's own. */
  public String firstAddress() {
    return block.getLower().withoutPrefixLength().increment(1).toCanonicalString();
  }

  /** How many addresses are given out; {@code Long.MAX_VALUE} where they are more. */
  public long room() {
    BigInteger given = block.getCount().subtract(BigInteger.valueOf(six() ? 2 : 3));
    return given.bitLength() > 62 ? Long.MAX_VALUE : Math.max(0, given.longValue());
  }

  /**
   * The lowest address of a part of the range that is given out and not taken; none if there is
   * none. Looks at no more addresses than are taken from there on, and one.
   *
   * @param first what lies before is left out; empty for the whole range
   * @param last what lies behind is left out; empty for the whole range
   * @param taken asked with addresses in canonical form
   */
  public Optional<String> free(String first, String last, Predicate<String> taken) {
    if (room() == 0 || !first.isEmpty() && Address.six(first) != six()) {
      return Optional.empty();
    }
    return six() ? free6(first, last, taken) : free4(first, last, taken);
  }

  private Optional<String> free4(String from, String to, Predicate<String> taken) {
    long end = to.isEmpty() ? last - 1 : Math.min(last - 1, Address.number(to));
    for (long at = Math.max(first + 2, Address.number(from)); at <= end; at++) {
      String text = Address.text(at);
      if (!taken.test(text)) {
        return Optional.of(text);
      }
    }
    return Optional.empty();
  }

  private Optional<String> free6(String first, String last, Predicate<String> taken) {
    IPAddress at = block.getLower().withoutPrefixLength().increment(2);
    IPAddress end = block.getUpper().withoutPrefixLength();
    if (!first.isEmpty()) {
      IPAddress from = Address.read(first).orElseThrow();
      at = from.compareTo(at) > 0 ? from : at;
    }
    if (!last.isEmpty()) {
      IPAddress to = Address.read(last).orElseThrow();
      end = to.compareTo(end) < 0 ? to : end;
    }
    while (at.compareTo(end) <= 0) {
      String text = at.toCanonicalString();
      if (!taken.test(text)) {
        return Optional.of(text);
      }
      if (at.equals(end)) {
        return Optional.empty();
      }
      at = at.increment(1);
    }
    return Optional.empty();
  }

  /** Whether an address is one that a machine can be given here by our convention. */
  public boolean gives(String address) {
    return Address.read(address)
        .filter(a -> room() > 0 && block.contains(a))
        .map(
            a ->
                a.compareTo(block.getLower().withoutPrefixLength().increment(2)) >= 0
                    && (six() || !a.equals(block.getUpper().withoutPrefixLength())))
        .orElse(false);
  }

  @Override
  public String toString() {
    return block.toCanonicalString();
  }
}
