package bargelane.core.lane;

import bargelane.core.net.Address;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;

/**
 * The records that change when machines get other addresses, as a zone file (RFC 1035, section 5;
 * AAAA as RFC 3596) to be merged into the zone that has them. A machine whose name is no host name,
 * or whose new address is not known, is told of in a comment.
 */
public final class ZoneFile {

  private static final String LABEL = "[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?";

  /** Longest text of a name (RFC 1035, section 2.3.4, without the lengths and the root). */
  private static final int LONGEST = 253;

  private ZoneFile() {}

  /**
   * A card's change.
   *
   * @param host a name of one label or several; one that ends with the origin is in it
   * @param former empty where it is not known
   * @param next empty where the platform gives it
   */
  public record Change(String host, String former, String next) {}

  /** Whether a text is a domain, with or without the dot of the root. */
  public static boolean origin(String text) {
    return name(text.endsWith(".") ? text.substring(0, text.length() - 1) : text);
  }

  private static boolean name(String text) {
    return text.length() <= LONGEST
        && text.toLowerCase(Locale.ROOT).matches(LABEL + "([.]" + LABEL + ")*");
  }

  /** The file. */
  public static String of(String origin, List<Change> changes) {
    String domain = (origin.endsWith(".") ? origin : origin + ".").toLowerCase(Locale.ROOT);
    StringBuilder text = new StringBuilder("; Records that change\n$ORIGIN " + domain + "\n");
    List<String> left = new ArrayList<>();
    changes.stream()
        .sorted(Comparator.comparing(Change::host).thenComparing(Change::former))
        .forEach(
            c -> {
              String host = relative(c.host().toLowerCase(Locale.ROOT), domain);
              if (!name(host) || host.length() + domain.length() > LONGEST) {
                left.add(plain(c.host()) + ": its name is no host name");
              } else if (!Address.valid(c.next())) {
                left.add(plain(c.host()) + ": its new address is not known");
              } else {
                text.append(host)
                    .append("\tIN\t")
                    .append(Address.six(c.next()) ? "AAAA" : "A")
                    .append('\t')
                    .append(c.next())
                    .append(c.former().isEmpty() ? "" : "\t; was " + plain(c.former()))
                    .append('\n');
              }
            });
    left.forEach(l -> text.append("; left out: ").append(l).append('\n'));
    return text.toString();
  }

  private static String relative(String host, String domain) {
    String absolute = "." + domain.substring(0, domain.length() - 1);
    String bare = host.endsWith(".") ? host.substring(0, host.length() - 1) : host;
    return bare.endsWith(absolute) ? bare.substring(0, bare.length() - absolute.length()) : bare;
  }

  /** A text that ends no comment. */
  private static String plain(String text) {
    return text.replaceAll("\\p{Cntrl}", "?");
  }
}
