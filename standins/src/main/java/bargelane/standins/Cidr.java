package bargelane.standins;

/** An IPv4 network in CIDR notation (RFC 4632). */
record Cidr(long base, int bits) {

  static Cidr parse(String text) {
    String[] parts = text.split("/", 2);
    int bits = Integer.parseInt(parts[1]);
    return new Cidr(address(parts[0]) & mask(bits), bits);
  }

  private static long mask(int bits) {
    return bits == 0 ? 0 : 0xffffffffL << (32 - bits) & 0xffffffffL;
  }

  static long address(String text) {
    long value = 0;
    String[] parts = text.split("\\.", -1);
    if (parts.length != 4) {
      throw new Refusal(422, "address-malformed", "'" + text + "' is not an IPv4 address");
    }
    for (String part : parts) {
      int octet;
      try {
        octet = Integer.parseInt(part);
      } catch (NumberFormatException e) {
        octet = -1;
      }
      if (octet < 0 || octet > 255) {
        throw new Refusal(422, "address-malformed", "'" + text + "' is not an IPv4 address");
      }
      value = value << 8 | octet;
    }
    return value;
  }

  boolean contains(String address) {
    return (address(address) & mask(bits)) == base;
  }
}
