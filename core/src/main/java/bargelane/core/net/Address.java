package bargelane.core.net;

import inet.ipaddr.IPAddress;
import inet.ipaddr.IPAddressString;
import inet.ipaddr.IPAddressStringParameters;
import java.util.Optional;

/**
 * One address of a machine, IPv4 as a dotted quad or IPv6 (RFC 4291, section 2.2). Nothing is
 * looked up, and neither a network, a range, a port nor a name is taken for an address.
 */
public final class Address {

  private static final int INTERFACE_BITS = 64;

  /**
   * Ports, prefixes, wildcards, ranges, zones and the short forms of inet_aton are no addresses
   * here: guests tell them, and they end in options of emulators and in files of guests.
   */
  static final IPAddressStringParameters STRICT =
      new IPAddressStringParameters.Builder()
          .allowEmpty(false)
          .allowAll(false)
          .allowPrefix(false)
          .allowMask(false)
          .allowSingleSegment(false)
          .allowWildcardedSeparator(false)
          .allow_inet_aton(false)
          .setRangeOptions(inet.ipaddr.AddressStringParameters.RangeParameters.NO_RANGE)
          .getIPv4AddressParametersBuilder()
          .allowLeadingZeros(false)
          .getParentBuilder()
          .getIPv6AddressParametersBuilder()
          .allowZone(false)
          .getParentBuilder()
          .toParams();

  private Address() {}

  static Optional<IPAddress> read(String text) {
    if (text == null || text.isEmpty()) {
      return Optional.empty();
    }
    return Optional.ofNullable(new IPAddressString(text, STRICT).getAddress())
        .filter(a -> !a.isMultiple());
  }

  /** Whether this is an address. */
  public static boolean valid(String text) {
    return quad(text) || read(text).isPresent();
  }

  /**
   * The one way to write an address (RFC 5952 for IPv6), so that two texts of one address are
   * equal; none if it is no address.
   */
  public static Optional<String> canonical(String text) {
    return quad(text) ? Optional.of(text) : read(text).map(IPAddress::toCanonicalString);
  }

  private static boolean quad(String text) {
    return number(text) >= 0;
  }

  /**
   * The number of an address of IPv4 as it is written canonically, four numbers up to 255 without
   * leading zeros; -1 if it is none. Most addresses are, and whole estates of them are compared at
   * each change.
   */
  static long number(String text) {
    if (text == null) {
      return -1;
    }
    int numbers = 0;
    int digits = 0;
    int number = 0;
    long all = 0;
    for (int i = 0; i <= text.length(); i++) {
      char c = i == text.length() ? '.' : text.charAt(i);
      if (c == '.') {
        if (digits == 0 || ++numbers > 4) {
          return -1;
        }
        all = all << 8 | number;
        digits = 0;
        number = 0;
      } else if (c < '0' || c > '9' || digits > 0 && number == 0) {
        return -1;
      } else {
        number = number * 10 + c - '0';
        digits++;
        if (number > 255) {
          return -1;
        }
      }
    }
    return numbers == 4 ? all : -1;
  }

  /** The address of IPv4 that has a number. */
  static String text(long number) {
    return (number >> 24)
        + "."
        + (number >> 16 & 255)
        + "."
        + (number >> 8 & 255)
        + "."
        + (number & 255);
  }

  /**
   * Whether this is an address that is good beyond its own segment: neither of a link (RFC 3927,
   * and RFC 4291, section 2.5.6) nor of a machine by itself.
   */
  public static boolean beyondLink(String text) {
    return read(text).map(a -> !a.isLinkLocal() && !a.isLoopback()).orElse(false);
  }

  /** Whether this is an address of IPv6. */
  public static boolean six(String text) {
    return !quad(text) && read(text).map(IPAddress::isIPv6).orElse(false);
  }

  /**
   * What of an address its holder can't choose: an address of IPv4 itself, the first 64 bits of one
   * of IPv6 (RFC 4291, section 2.5.1). A text that is no address is given back.
   */
  public static String holder(String text) {
    return read(text)
        .map(a -> a.isIPv6() ? a.toPrefixBlock(INTERFACE_BITS).toCanonicalString() : text)
        .orElse(text);
  }

  /** Whether both are addresses of one version of IP, and the second is not before the first. */
  public static boolean upTo(String first, String last) {
    return read(first)
        .flatMap(
            f -> read(last).filter(l -> f.isIPv6() == l.isIPv6()).map(l -> f.compareTo(l) <= 0))
        .orElse(false);
  }
}
