package bargelane.core.net;

import inet.ipaddr.IPAddress;
import inet.ipaddr.IPAddressString;
import inet.ipaddr.IPAddressStringParameters;
import java.math.BigInteger;
import java.util.Optional;
import java.util.Set;

/**
 * The range of a network in CIDR notation: IPv4 (RFC 4632) or IPv6 (RFC 4291, section 2.3). By our
 * convention the first address after the network's own is the gateway's. The network's own address,
 * the gateway's and, of IPv4, the last one (broadcast) are not given out.
 */
public final class Subnet {

  private static final IPAddressStringParameters CIDR =
      Address.STRICT.toBuilder().allowPrefix(true).toParams();

  private final IPAddress block;

  private Subnet(IPAddress block) {
    this.block = block;
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
    return Address.read(address).map(block::contains).orElse(false);
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
   * The lowest address that is given out and not taken; none if there is none. Looks at no more
   * addresses than are taken, and one.
   *
   * @param taken in canonical form
   */
  public Optional<String> free(Set<String> taken) {
    IPAddress lower = block.getLower().withoutPrefixLength();
    BigInteger size = block.getCount();
    BigInteger end = six() ? size : size.subtract(BigInteger.ONE);
    for (long i = 2; BigInteger.valueOf(i).compareTo(end) < 0; i++) {
      String text = lower.increment(i).toCanonicalString();
      if (!taken.contains(text)) {
        return Optional.of(text);
      }
    }
    return Optional.empty();
  }

  @Override
  public String toString() {
    return block.toCanonicalString();
  }
}
