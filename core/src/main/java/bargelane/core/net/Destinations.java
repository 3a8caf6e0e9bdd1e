package bargelane.core.net;

import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Where a secret may be sent: hosts by name, by address or by range, with a port or any. A name is
 * taken as it is written and never looked up, so a range holds no name.
 *
 * @param entries each {@code any}, or {@code HOST} or {@code HOST:PORT} where {@code HOST} is a
 *     name, {@code *.ZONE}, an address, or a range in CIDR notation; of IPv6 in brackets before a
 *     port
 */
public record Destinations(List<String> entries) {

  /** What is allowed everything. */
  public static final String ANY = "any";

  /** To nobody. */
  public static final Destinations NONE = new Destinations(List.of());

  private static final Pattern NAME =
      Pattern.compile(
          "(\\*\\.)?[a-z0-9_]([a-z0-9_-]{0,62})(\\.[a-z0-9_][a-z0-9_-]{0,62})*",
          Pattern.CASE_INSENSITIVE);
  private static final Pattern PORTED =
      Pattern.compile("(?:\\[([^\\]]+)\\]|([^:\\[\\]]+)):(\\d{1,5})");
  private static final Pattern BRACKETED = Pattern.compile("\\[([^\\]]+)\\]");

  private record Entry(String host, int port) {}

  /**
   * Copies and checks.
   *
   * @throws IllegalArgumentException if an entry is none of these
   */
  public Destinations {
    entries = List.copyOf(entries);
    entries.forEach(Destinations::read);
  }

  private static Entry read(String text) {
    Matcher ported = PORTED.matcher(text);
    Matcher bracketed = BRACKETED.matcher(text);
    String host = text;
    int port = 0;
    if (ported.matches()) {
      host = ported.group(1) == null ? ported.group(2) : ported.group(1);
      port = Integer.parseInt(ported.group(3));
    } else if (bracketed.matches()) {
      host = bracketed.group(1);
    }
    boolean fits =
        Address.valid(host)
            || Subnet.of(host).isPresent()
            || (NAME.matcher(host).matches() && !host.matches("[0-9.]+"));
    if (!fits || port > 65535 || (ported.matches() && port == 0)) {
      throw new IllegalArgumentException(
          "'" + text + "' is neither a host, nor *.ZONE, nor a range such as 10.20.0.0/16");
    }
    return new Entry(host, port);
  }

  /** One host and port, as an entry. */
  public static String entry(String host, int port) {
    return (host.contains(":") ? "[" + host + "]" : host) + ":" + port;
  }

  /**
   * Whether a secret may be sent to a host.
   *
   * @param host a name or an address
   */
  public boolean allow(String host, int port) {
    return entries.stream().anyMatch(e -> e.equals(ANY) || allows(read(e), host, port));
  }

  private static boolean allows(Entry entry, String host, int port) {
    if (entry.port != 0 && entry.port != port) {
      return false;
    }
    Optional<String> address = Address.canonical(host);
    if (address.isPresent()) {
      return Subnet.of(entry.host)
          .map(range -> range.contains(host))
          .orElse(Address.canonical(entry.host).equals(address));
    }
    String name = lower(host);
    String wanted = lower(entry.host);
    return wanted.startsWith("*.") ? name.endsWith(wanted.substring(1)) : name.equals(wanted);
  }

  /** A name without its case, and without the dot of its root (RFC 4343; RFC 1034, section 3.1). */
  private static String lower(String name) {
    String text = name.toLowerCase(Locale.ROOT);
    return text.endsWith(".") ? text.substring(0, text.length() - 1) : text;
  }

  @Override
  public String toString() {
    return entries.isEmpty() ? "nobody" : String.join(", ", entries);
  }
}
