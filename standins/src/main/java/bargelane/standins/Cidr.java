package bargelane.standins;

import inet.ipaddr.IPAddress;
import inet.ipaddr.IPAddressString;

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

  boolean contains(String address) {
    IPAddress one = address(address);
    if (one.isMultiple()) {
      throw new Refusal(422, "address-malformed", "'" + address + "' is not one address");
    }
    return block.contains(one);
  }
}
