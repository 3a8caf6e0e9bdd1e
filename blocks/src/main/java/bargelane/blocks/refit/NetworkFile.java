package bargelane.blocks.refit;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A file that configures network cards, and the cards that it names: of ifupdown (interfaces(5)),
 * of systemd (systemd.network(5)), of NetworkManager (nm-settings-keyfile(5) and the older ifcfg
 * files) or of netplan.
 */
record NetworkFile(String path, String text) {

  /**
   * What a file says of one card, bridge, bond or VLAN.
   *
   * @param name its name, or a pattern of names; empty where it is chosen by its hardware address
   *     or by its kind
   * @param text the part of the file that is about it
   */
  record Part(NetworkFile file, String name, String text) {

    boolean holds(String address) {
      return !address.isEmpty() && whole(address).matcher(text).find();
    }

    boolean dynamic() {
      return DYNAMIC.matcher(text).find();
    }

    /** What it lies on: a bridge's ports, a bond's cards, a VLAN's card. */
    List<String> on() {
      return values(ON);
    }

    /** What lies on it. */
    List<String> under() {
      return values(UNDER);
    }

    /** What others may call it by that lie under it. */
    Optional<String> identity() {
      return values(IDENTITY).stream().findFirst();
    }

    /** The addresses that it is given here, without those of its own link. */
    List<String> addresses() {
      Pattern kind = file.path.startsWith("/etc/netplan/") ? NETPLAN_ADDRESS : ADDRESS;
      return kind.matcher(text).results().map(m -> m.group(1)).distinct().toList();
    }

    private List<String> values(Pattern pattern) {
      return pattern
          .matcher(text)
          .results()
          .flatMap(m -> VALUE.matcher(m.group(1)).results())
          .map(MatchResult::group)
          .toList();
    }
  }

  /**
   * Ports and cards: of ifupdown (bridge-utils-interfaces(5), interfaces-bond(5),
   * vlan-interfaces(5)), of netplan (interfaces, link) and of NetworkManager (parent).
   */
  private static final Pattern ON =
      Pattern.compile(
          "(?m)^[ \\t]*(?:bridge[_-]ports\\s|(?:bond[_-])?slaves\\s|vlan[_-]raw[_-]device\\s|link:"
              + "|parent=|interfaces:)((?:[ \\t]*\\n[ \\t]*-[^\\n]*)+|[^\\n]*)");

  /** What a port says: of networkd, of NetworkManager and of ifcfg files. */
  private static final Pattern UNDER =
      Pattern.compile("(?m)^[ \\t]*(?:Bridge|Bond|VLAN|master|controller|BRIDGE|MASTER)=([^\\n]*)");

  private static final Pattern IDENTITY = Pattern.compile("(?m)^uuid=([^\\n]*)");
  private static final Pattern VALUE = Pattern.compile("[A-Za-z0-9][\\w.:-]*");

  private static final Pattern ADDRESS =
      Pattern.compile(
          "(?m)^[ \\t]*(?:address\\s+|Address=|address\\d*=|IPADDR\\d*=|IPV6ADDR=)[\"']?"
              + "(?!fe80:)([0-9A-Fa-f:.]+)");

  /** One with its prefix on a line that is not about a route. */
  private static final Pattern NETPLAN_ADDRESS =
      Pattern.compile("(?m)(?<=[\\s\\[,\"'])(?!fe80:)(?<!to: ?[\"']?)([0-9A-Fa-f:.]+)/\\d+");

  /** Files of one directory that are looked into. */
  private static final int MOST = 1000;

  private static final Pattern DYNAMIC =
      Pattern.compile(
          "(?mi)^[ \\t]*(iface\\s+\\S+\\s+inet6?\\s+(dhcp|auto)\\b"
              + "|DHCP\\s*=\\s*(yes|true|ipv4|ipv6|both)\\b"
              + "|method\\s*=\\s*auto\\b|BOOTPROTO\\s*=\\s*[\"']?dhcp|dhcp[46]:\\s*(yes|true|on)\\b)");
  private static final Pattern STANZA =
      Pattern.compile("(?m)^(?=[ \\t]*(?:iface|auto|allow-\\S+|mapping|source\\S*)\\b)");
  private static final Pattern NAME = Pattern.compile("\\nName=([^\\n]*)");
  private static final Pattern KIND = Pattern.compile("(ethernets|bridges|bonds|vlans):");
  private static final Pattern IFACE = Pattern.compile("^[ \\t]*iface\\s+([^\\s:]+)");

  private static final String GATEWAY =
      "(?m)^([ \\t]*(?:gateway\\s+|Gateway=|GATEWAY=|gateway=|gateway[46]:\\s*"
          + "|-?[ \\t]*to:[ \\t]*[\"']?(?:default|0\\.0\\.0\\.0/0|::/0)[\"']?[ \\t]*\\n[ \\t]*via:[ \\t]*[\"']?))[^\\s\"']+";

  /** All such files of a guest. */
  static List<NetworkFile> of(Guest guest) throws IOException {
    List<String> paths = new ArrayList<>(List.of("/etc/network/interfaces"));
    for (String directory :
        List.of(
            "/etc/network/interfaces.d",
            "/etc/netplan",
            "/etc/systemd/network",
            "/etc/NetworkManager/system-connections",
            "/etc/sysconfig/network-scripts")) {
      guest.root().orElseThrow().tree().list(directory).stream()
          .filter(f -> !f.endsWith(".link") && !f.endsWith(".netdev"))
          .sorted()
          .limit(MOST)
          .forEach(f -> paths.add(directory + "/" + f));
    }
    List<NetworkFile> files = new ArrayList<>();
    for (String path : paths) {
      guest.text(path).ifPresent(text -> files.add(new NetworkFile(path, text)));
    }
    return files;
  }

  /** The parts that are about cards; those about the loopback are not among them. */
  List<Part> parts() {
    Map<String, StringBuilder> parts = new TreeMap<>();
    if (path.startsWith("/etc/network/")) {
      for (String stanza : STANZA.split(text)) {
        Matcher m = IFACE.matcher(stanza);
        if (m.find()) {
          parts.computeIfAbsent(m.group(1), n -> new StringBuilder()).append(stanza);
        }
      }
    } else if (path.startsWith("/etc/netplan/")) {
      netplan(parts);
    } else {
      names().forEach(n -> parts.put(n, new StringBuilder(text)));
    }
    parts.remove("lo");
    return parts.entrySet().stream()
        .map(e -> new Part(this, e.getKey(), e.getValue().toString()))
        .toList();
  }

  private List<String> names() {
    Optional<String> told =
        path.contains("/network-scripts/")
            ? first("(?m)^[ \\t]*(?:DEVICE|NAME)=[\"']?([\\w.-]+)")
            : path.startsWith("/etc/systemd/")
                // Only what is between the head of the section and the next one is what it is
                // chosen by.
                ? matched()
                : first("(?m)^[ \\t]*interface-name=([\\w.-]+)");
    return List.of(told.orElse("").strip().split("\\s+"));
  }

  private Optional<String> matched() {
    int head = text.indexOf("[Match]");
    if (head < 0) {
      return Optional.empty();
    }
    int next = text.indexOf("\n[", head);
    Matcher m = NAME.matcher(text).region(head, next < 0 ? text.length() : next);
    return m.find() ? Optional.of(m.group(1)) : Optional.empty();
  }

  private Optional<String> first(String pattern) {
    Matcher m = Pattern.compile(pattern).matcher(text);
    return m.find() ? Optional.of(m.group(1)) : Optional.empty();
  }

  /** What is indented below a name that is itself below one of the kinds of cards. */
  private void netplan(Map<String, StringBuilder> parts) {
    int section = -1;
    int names = -1;
    String name = "";
    for (String line : text.split("\n")) {
      if (line.isBlank() || line.strip().startsWith("#")) {
        continue;
      }
      int indent = line.indexOf(line.strip());
      if (KIND.matcher(line.strip()).matches()) {
        section = indent;
        names = -1;
        continue;
      }
      if (indent <= section) {
        section = -1;
      }
      if (section < 0) {
        continue;
      }
      names = names < 0 ? indent : names;
      if (indent == names) {
        name = line.strip().replaceFirst(":.*", "").replaceAll("[\"']", "");
        parts.put(name, new StringBuilder());
      }
      parts.get(name).append(line).append('\n');
    }
    parts.entrySet().stream()
        .filter(e -> e.getValue().indexOf("macaddress:") >= 0)
        .map(Map.Entry::getKey)
        .toList()
        .forEach(
            // It is found, and may be renamed, by its address whatever the hardware is.
            n -> parts.merge("", parts.remove(n), StringBuilder::append));
  }

  /** Whether a part of it chooses its card by a hardware address. */
  boolean chooses(String mac) {
    return !mac.isEmpty() && text.toLowerCase(Locale.ROOT).contains(mac.toLowerCase(Locale.ROOT));
  }

  private static Pattern whole(String address) {
    String letters = address.contains(":") ? "[0-9A-Fa-f:]" : "[\\d.]";
    return Pattern.compile(
        "(?<!"
            + letters
            + ")"
            + Pattern.quote(address)
            + "(?!"
            + letters
            + "*[0-9A-Fa-f])(/\\d+)?");
  }

  /** The text with a card's new address, and its new network's mask and gateway beside it. */
  String readdressed(Card card) {
    if (!path.startsWith("/etc/network/")) {
      return readdressed(text, card);
    }
    StringBuilder fresh = new StringBuilder();
    for (String stanza : STANZA.split(text)) {
      fresh.append(readdressed(stanza, card));
    }
    return fresh.toString();
  }

  private static String readdressed(String text, Card card) {
    Matcher m = whole(card.from()).matcher(text);
    StringBuilder moved = new StringBuilder();
    boolean found = false;
    while (m.find()) {
      found = true;
      String prefix = m.group(1) == null ? "" : "/" + card.prefix();
      m.appendReplacement(moved, Matcher.quoteReplacement(card.to() + prefix));
    }
    m.appendTail(moved);
    if (!found) {
      return text;
    }
    String to = Matcher.quoteReplacement(card.to() + "/" + card.prefix());
    String gateway = Matcher.quoteReplacement(card.gateway());
    return moved
        .toString()
        .replaceAll("(?m)^([ \\t]*netmask\\s+|NETMASK=[\"']?)[^\\s\"']+", "$1" + card.mask())
        .replaceAll("(?m)^(PREFIX=[\"']?)\\d+", "$1" + card.prefix())
        .replaceAll(GATEWAY, "$1" + gateway)
        .replaceAll("(?m)^(address\\d*=" + to + "),[^,;\\s]+", "$1," + gateway);
  }
}
