package bargelane.core.lane;

import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Ingress;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * What lets connections in to a machine at a target that filters them: rules as people write them,
 * what rules would cut of what was seen, and the fewest ranges that keep all of it working.
 */
public final class IngressRules {

  private static final Pattern RULE =
      Pattern.compile("(tcp|udp)/([0-9]{1,5}) from (any|[0-9A-Fa-f.:]+(?:/[0-9]{1,3})?)");

  private static final int PORTS = 65_535;

  /** Rules that a machine has at most; more can be written as fewer ranges. */
  private static final int MOST = 200;

  /** Characters of all of them at most. */
  public static final int LONGEST = 8_000;

  /**
   * Prefixes that clients are told by where single addresses, and then smaller blocks, would be
   * more than a machine can have: of IPv4 and of IPv6.
   */
  private static final int[][] BLOCKS = {
    {24, 64}, {22, 60}, {20, 56}, {18, 52}, {16, 48}, {12, 40}, {8, 32}, {0, 0}
  };

  /** Single clients of one port that are named one by one; more are told by their blocks. */
  private static final int SINGLE = 8;

  /** No rule. */
  public static final String NONE = "none";

  private static final String ANY = "any";

  private IngressRules() {}

  /**
   * Somebody who was seen to connect to a machine.
   *
   * @param client its address now
   * @param next the one that it will have; empty where it stays
   */
  public record Seen(String protocol, int port, String client, String next, long count) {}

  /**
   * Reads rules as people write them, such as {@code tcp/5432 from 10.20.1.0/24; udp/53 from any}.
   * None if they can't be read.
   */
  public static Optional<List<Ingress>> read(String text) {
    if (text.strip().equals(NONE)) {
      return Optional.of(List.of());
    }
    List<Ingress> rules = new ArrayList<>();
    for (String part : text.split(";", -1)) {
      Matcher m = RULE.matcher(part.strip());
      if (!m.matches() || rules.size() == MOST) {
        return Optional.empty();
      }
      int port = Integer.parseInt(m.group(2));
      Optional<String> from = from(m.group(3));
      if (port < 1 || port > PORTS || from.isEmpty()) {
        return Optional.empty();
      }
      rules.add(new Ingress(m.group(1), port, from.get()));
    }
    return Optional.of(List.copyOf(rules));
  }

  private static Optional<String> from(String text) {
    if (text.equals(ANY)) {
      return Optional.of("");
    }
    return text.indexOf('/') >= 0
        ? Subnet.of(text).map(Subnet::toString)
        : Address.canonical(text).map(a -> a + (Address.six(a) ? "/128" : "/32"));
  }

  /** As people write them. */
  public static String text(List<Ingress> rules) {
    return rules.isEmpty()
        ? NONE
        : String.join("; ", rules.stream().map(IngressRules::text).toList());
  }

  /** One as people write it. */
  public static String text(Ingress r) {
    return r.protocol() + "/" + r.port() + " from " + (r.from().isEmpty() ? ANY : r.from());
  }

  /** Whether one of the rules lets an address in to a port. */
  public static boolean lets(List<Ingress> rules, String protocol, int port, String address) {
    return rules.stream()
        .anyMatch(
            r ->
                r.protocol().equals(protocol)
                    && r.port() == port
                    && (r.from().isEmpty()
                        || Subnet.of(r.from()).map(s -> s.contains(address)).orElse(false)));
  }

  /** What of what was seen the rules do not let in, by the address of now or the next one. */
  public static List<Seen> cut(List<Ingress> rules, List<Seen> seen) {
    return seen.stream()
        .filter(
            s ->
                !lets(rules, s.protocol(), s.port(), s.client())
                    || !s.next().isEmpty() && !lets(rules, s.protocol(), s.port(), s.next()))
        .toList();
  }

  /**
   * The fewest rules that let in all that was seen, from where it comes now and from where it will
   * come: ranges of networks that are known, and single addresses, or their blocks of 256 (of IPv6
   * of 64 bits) where there are more than some. A port that is open to everybody and in use stays
   * open: who was seen so far is not all who will come.
   *
   * <p>Where these are more than a machine can have, larger blocks are taken; where not even ports
   * that are open to everybody are few enough, the rules stay as they are.
   *
   * @param rules those of now
   * @param networks ranges that are known at both ends
   */
  public static List<Ingress> smallest(
      List<Seen> seen, List<Ingress> rules, Collection<Subnet> networks) {
    for (int block = 0; block < BLOCKS.length; block++) {
      List<Ingress> proposed = smallest(seen, rules, networks, block);
      if (proposed.size() <= MOST && text(proposed).length() <= LONGEST) {
        return proposed;
      }
    }
    return rules;
  }

  /**
   * @param block the first of {@link #BLOCKS} leaves some single addresses and all networks as they
   *     are; each further one takes all in blocks of its size
   */
  private static List<Ingress> smallest(
      List<Seen> seen, List<Ingress> rules, Collection<Subnet> networks, int block) {
    Map<String, Set<String>> clients = new TreeMap<>();
    Map<String, Seen> ports = new HashMap<>();
    for (Seen s : seen) {
      String port = s.protocol() + "/" + String.format("%05d", s.port());
      ports.put(port, s);
      Stream.of(s.client(), s.next())
          .flatMap(a -> Address.canonical(a).stream())
          .forEach(a -> clients.computeIfAbsent(port, p -> new TreeSet<>()).add(a));
    }
    List<Ingress> proposed = new ArrayList<>();
    clients.forEach(
        (port, of) -> {
          String protocol = ports.get(port).protocol();
          int number = ports.get(port).port();
          Optional<Ingress> open =
              rules.stream()
                  .filter(r -> r.protocol().equals(protocol) && r.port() == number && open(r))
                  .filter(r -> of.stream().allMatch(a -> lets(List.of(r), protocol, number, a)))
                  .findFirst();
          if (open.isPresent()) {
            proposed.add(open.get());
          } else {
            ranges(of, networks, block)
                .forEach(r -> proposed.add(new Ingress(protocol, number, r.toString())));
          }
        });
    return proposed;
  }

  private static boolean open(Ingress r) {
    return r.from().isEmpty() || Subnet.of(r.from()).map(s -> s.prefix() == 0).orElse(false);
  }

  private static List<Subnet> ranges(Set<String> clients, Collection<Subnet> networks, int block) {
    Map<String, Subnet> found = new TreeMap<>();
    if (block > 0) {
      for (String a : clients) {
        int bits = BLOCKS[block][Address.six(a) ? 1 : 0];
        Subnet.of(a + "/" + bits).ifPresent(n -> found.put(n.toString(), n));
      }
      return List.copyOf(found.values());
    }
    List<String> alone = new ArrayList<>();
    for (String a : clients) {
      Optional<Subnet> network =
          networks.stream().filter(n -> n.contains(a)).max(Comparator.comparingInt(Subnet::prefix));
      network.ifPresentOrElse(n -> found.put(n.toString(), n), () -> alone.add(a));
    }
    boolean many = alone.size() > SINGLE;
    for (String a : alone) {
      int bits = Address.six(a) ? many ? BLOCKS[0][1] : 128 : many ? BLOCKS[0][0] : 32;
      Subnet.of(a + "/" + bits).ifPresent(n -> found.put(n.toString(), n));
    }
    return found.values().stream()
        .filter(
            n ->
                found.values().stream()
                    .noneMatch(o -> o != n && o.prefix() < n.prefix() && o.overlaps(n)))
        .toList();
  }
}
