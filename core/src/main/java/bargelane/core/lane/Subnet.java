package bargelane.core.lane;

import java.util.Optional;
import java.util.Set;

/**
 * An IPv4 network in CIDR notation (RFC 4632). The first and last address and the gateway's (.1)
 * are not given out.
 */
public record Subnet(long base, int bits) {

  public Subnet {
    if (bits < 0 || bits > 32) {
      throw new IllegalArgumentException("a prefix of " + bits + " bits");
    }
  }

  /** Reads {@code a.b.c.d/n}. */
  public static Subnet parse(String cidr) {
    int slash = cidr.indexOf('/');
    if (slash < 0) {
      throw new IllegalArgumentException("'" + cidr + "' is not a network in CIDR notation");
    }
    int bits = Integer.parseInt(cidr.substring(slash + 1));
    return new Subnet(address(cidr.substring(0, slash)) & mask(bits), bits);
  }

  private static long mask(int bits) {
    return bits == 0 ? 0 : (0xffffffffL << (32 - bits)) & 0xffffffffL;
  }

  /** Reads a dotted quad. */
  public static long address(String text) {
    String[] parts = text.split("\\.", -1);
    long value = 0;
    for (String part : parts) {
      int octet = part.matches("[0-9]{1,3}") ? Integer.parseInt(part) : -1;
      if (octet < 0 || octet > 255 || parts.length != 4) {
        throw new IllegalArgumentException("'" + text + "' is not an IPv4 address");
      }
      value = value << 8 | octet;
    }
    return value;
  }

  /** Writes a dotted quad. */
  public static String text(long address) {
    return (address >> 24 & 255)
        + "."
        + (address >> 16 & 255)
        + "."
        + (address >> 8 & 255)
        + "."
        + (address & 255);
  }

  public boolean contains(String address) {
    return (address(address) & mask(bits)) == base;
  }

  /** The mask as a dotted quad. */
  public String netmask() {
    return text(mask(bits));
  }

  /** The gateway's address by our convention: the first one. */
  public String firstAddress() {
    return text(base + 1);
  }

  private long first() {
    return base + 2;
  }

  private long last() {
    return base + (1L << (32 - bits)) - 2;
  }

  /** The lowest address that is not taken. */
  public Optional<String> free(Set<String> taken) {
    for (long a = first(); a <= last(); a++) {
      String text = text(a);
      if (!taken.contains(text)) {
        return Optional.of(text);
      }
    }
    return Optional.empty();
  }
}
