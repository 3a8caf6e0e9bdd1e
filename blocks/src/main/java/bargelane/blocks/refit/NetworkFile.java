package bargelane.blocks.refit;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A file that configures network cards, and the cards that it names: of ifupdown (interfaces(5)),
 * of systemd (systemd.network(5)), of NetworkManager (nm-settings-keyfile(5) and the older ifcfg
 * files) or of netplan.
 */
record NetworkFile(String path, String text) {

  /**
   * What a file says of one card.
   *
   * @param name the card's name; empty where it is chosen by its hardware address or by its kind
   * @param text the part of the file that is about it
   */
  record Part(NetworkFile file, String name, String text) {

    boolean holds(String address) {
      return !address.isEmpty() && whole(address).matcher(text).find();
    }

    boolean dynamic() {
      return DYNAMIC.matcher(text).find();
    }
  }

  private static final Pattern DYNAMIC =
      Pattern.compile(
          "(?mi)^\\s*(iface\\s+\\S+\\s+inet6?\\s+(dhcp|auto)\\b"
              + "|DHCP\\s*=\\s*(yes|true|ipv4|ipv6|both)\\b"
              + "|method\\s*=\\s*auto\\b|BOOTPROTO\\s*=\\s*[\"']?dhcp|dhcp[46]:\\s*(yes|true|on)\\b)");
  private static final Pattern STANZA =
      Pattern.compile("(?m)^(?=[ \\t]*(?:iface|auto|allow-\\S+|mapping|source\\S*)\\b)");
  private static final Pattern IFACE = Pattern.compile("^\\s*iface\\s+([^\\s:]+)");

  private static final String GATEWAY =
      "(?m)^(\\s*(?:gateway\\s+|Gateway=|GATEWAY=|gateway=|gateway[46]:\\s*"
          + "|-?\\s*to:\\s*(?:default|0\\.0\\.0\\.0/0)\\s*\\n\\s*via:\\s*))[^\\s\"']+";

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
    Map<String, String> parts = new TreeMap<>();
    if (path.startsWith("/etc/network/")) {
      for (String stanza : STANZA.split(text)) {
        Matcher m = IFACE.matcher(stanza);
        if (m.find()) {
          parts.merge(m.group(1), stanza, String::concat);
        }
      }
    } else if (path.startsWith("/etc/netplan/")) {
      netplan(parts);
    } else {
      parts.put(name(), text);
    }
    parts.remove("lo");
    return parts.entrySet().stream().map(e -> new Part(this, e.getKey(), e.getValue())).toList();
  }

  private String name() {
    if (path.contains("/network-scripts/")) {
      return first("(?m)^\\s*(?:DEVICE|NAME)=[\"']?([\\w.-]+)").orElse("");
    }
    if (path.startsWith("/etc/systemd/")) {
      // Only what is between the head of the section and the next one is what it is chosen by.
      return first("(?s)\\[Match\\](?:(?!\\n\\[).)*?\\nName=([\\w.-]+)[ \\t]*(?:\\n|$)").orElse("");
    }
    return first("(?m)^\\s*interface-name=([\\w.-]+)").orElse("");
  }

  private Optional<String> first(String pattern) {
    Matcher m = Pattern.compile(pattern).matcher(text);
    return m.find() ? Optional.of(m.group(1)) : Optional.empty();
  }

  /** What is indented below a name that is itself below {@code ethernets:}. */
  private void netplan(Map<String, String> parts) {
    int section = -1;
    int names = -1;
    String name = "";
    for (String line : text.split("\n")) {
      if (line.isBlank() || line.strip().startsWith("#")) {
        continue;
      }
      int indent = line.indexOf(line.strip());
      if (line.strip().equals("ethernets:")) {
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
        parts.put(name, "");
      }
      parts.merge(name, line + "\n", String::concat);
    }
    parts.entrySet().stream()
        .filter(e -> e.getValue().contains("macaddress:"))
        .map(Map.Entry::getKey)
        .toList()
        .forEach(
            // It is found, and may be renamed, by its address whatever the hardware is.
            n -> parts.merge("", parts.remove(n), String::concat));
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
        .replaceAll("(?m)^(\\s*netmask\\s+|NETMASK=[\"']?)[^\\s\"']+", "$1" + card.mask())
        .replaceAll("(?m)^(PREFIX=[\"']?)\\d+", "$1" + card.prefix())
        .replaceAll(GATEWAY, "$1" + gateway)
        .replaceAll("(?m)^(address\\d*=" + to + "),[^,;\\s]+", "$1," + gateway);
  }
}
