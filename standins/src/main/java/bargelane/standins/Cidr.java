package bargelane.standins;

import inet.ipaddr.IPAddress;
import inet.ipaddr.IPAddressString;
import java.util.Optional;
import java.util.Set;

/** A network in CIDR notation (RFC 4632; RFC 4291, section 2.3). */
record Cidr(IPAddress block) {

  static Cidr parse(String text) {
    return new Cidr(address(text).toPrefixBlock());
  }

  private static IPAddress address(String text) {
    IPAddress address = new IPAddressString(text).getAddress();
    if (address == null) {
      throw new Refusal(422, "address-malformed", "'" + text + "' is not an address");
    }
    return address;
  }

  /** The lowest address after the gateway's that nobody has. */
  Optional<String> free(Set<String> taken) {
    IPAddress end = block.getUpper().withoutPrefixLength();
    IPAddress at = block.getLower().withoutPrefixLength().increment(2);
    while (at.compareTo(end) < 0) {
      if (!taken.contains(at.toCanonicalString())) {
        return Optional.of(at.toCanonicalString());
      }
      at = at.increment(1);
    }
    return Optional.empty();
  }

  boolean contains(String address) {
    IPAddress one = address(address);
    if (one.isMultiple()) {
      throw new Refusal(422, "address-malformed", "'" + address + "' is not one address");
    }
    return block.contains(one);
  }
}
