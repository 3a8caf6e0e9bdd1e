package bargelane.blocks.refit;

import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/**
 * What a guest's network cards need elsewhere: the addresses that are planned for them, in whatever
 * file they are configured, and the names that those files know them by. A card's usual name tells
 * where it is plugged in, and so changes with the hardware; its hardware address does not.
 */
final class Cards {

  /** Names that the kernel gives in the order in which it finds cards. */
  private static final Pattern COUNTED = Pattern.compile("eth\\d+");

  /** What the kernel takes for a card's name (linux/if.h, IFNAMSIZ), as far as files name it. */
  private static final Pattern NAME = Pattern.compile("[A-Za-z0-9][A-Za-z0-9_-]{0,14}");

  private static final Pattern PHYSICAL = Pattern.compile("(en|eth|e\\*|wl|em|p\\d).*");
  private static final Pattern PATTERN = Pattern.compile(".*[*?\\[].*");

  /** Patterns that match whatever a card is called by the hardware. */
  private static final Pattern EVERY = Pattern.compile("(e|en|eth)?\\*");

  /** Files, and what they configure; more is no machine's. */
  private static final int MOST = 500;

  /** Ports of one bridge, or cards of one bond, that are followed. */
  private static final int MOST_PORTS = 64;

  /** A VLAN's name after the card that it is of, as the tools give it. */
  private static final Pattern TAGGED = Pattern.compile("(.+)\\.\\d+");

  private final Guest guest;
  private final Place root;
  private final List<NetworkFile> files;
  private final List<NetworkFile.Part> parts;
  private final Map<String, Set<String>> below;
  private final List<Card> planned;
  private final List<FileEdit> edits = new ArrayList<>();
  private final List<String> unjudged = new ArrayList<>();

  Cards(Guest guest, List<Card> planned) throws IOException {
    this.guest = guest;
    this.planned = planned;
    this.root = guest.root().orElseThrow();
    this.files = NetworkFile.of(guest);
    this.parts = files.stream().flatMap(f -> f.parts().stream()).toList();
    this.below = parts.size() > MOST ? Map.of() : below(parts);
  }

  List<FileEdit> edits() {
    return edits;
  }

  List<String> unjudged() {
    return unjudged;
  }

  void plan() throws IOException {
    if (files.size() > MOST || parts.size() > MOST) {
      unjudged.add(
          "the network configuration has "
              + Math.max(files.size(), parts.size())
              + " parts and is not looked into: cards may have other names there, and old addresses");
      return;
    }
    for (NetworkFile file : files) {
      String fresh = file.text();
      List<String> reasons = new ArrayList<>();
      for (Card card : planned) {
        String before = fresh;
        fresh = card.moves() ? new NetworkFile(file.path(), before).readdressed(card) : before;
        if (!fresh.equals(before)) {
          reasons.add("the address " + card.from() + " becomes " + card.to());
        }
      }
      if (!reasons.isEmpty()) {
        edits.add(FileEdit.text(root, file.path(), file.text(), fresh, String.join(", ", reasons)));
      }
    }
    for (Card card : planned) {
      address(card);
      if (!card.mac().isEmpty()) {
        name(card, planned.size() == 1);
      }
    }
  }

  private void address(Card card) {
    others(card);
    if (card.to().isEmpty() || parts.stream().anyMatch(p -> p.holds(card.from()))) {
      return;
    }
    if (parts.stream().anyMatch(NetworkFile.Part::dynamic)) {
      unjudged.add(
          "the guest asks for its address by DHCP: whoever gives addresses in the new network must"
              + " keep "
              + card.to()
              + " for "
              + (card.mac().isEmpty() ? "this card" : card.mac()));
    } else if (card.moves()) {
      unjudged.add(
          "the address " + card.from() + " is in no network configuration that is read here");
    }
  }

  /** Addresses beside the one that changes, which would stay in a network that is another. */
  private void others(Card card) {
    if (!card.moves()) {
      return;
    }
    parts.stream()
        .filter(p -> p.holds(card.from()))
        .map(NetworkFile.Part::name)
        .distinct()
        .forEach(
            name ->
                parts.stream()
                    .filter(p -> p.name().equals(name))
                    .flatMap(p -> p.addresses().stream())
                    .filter(a -> planned.stream().noneMatch(c -> c.from().equals(a)))
                    .distinct()
                    .forEach(
                        a ->
                            unjudged.add(
                                (name.isEmpty() ? "the card of " + card.from() : name)
                                    + " has the address "
                                    + a
                                    + " too; none is planned in its place, so it stays as it is")));
  }

  private void name(Card card, boolean only) throws IOException {
    if (parts.isEmpty() || files.stream().anyMatch(f -> f.chooses(card.mac())) || linked(card)) {
      return;
    }
    Set<String> names =
        parts.stream()
            .filter(p -> p.holds(card.from()))
            .flatMap(p -> physical(p.name()).stream())
            .collect(Collectors.toCollection(TreeSet::new));
    if (names.stream().anyMatch(Cards::isPhysical)) {
      names.removeIf(n -> !isPhysical(n));
    } else {
      names =
          parts.stream()
              .flatMap(p -> physical(p.name()).stream())
              .filter(Cards::isPhysical)
              .filter(n -> only || card.names().stream().anyMatch(t -> matches(n, t)))
              .collect(Collectors.toCollection(TreeSet::new));
    }
    names.remove("");
    named(names, card);
    if (names.size() != 1) {
      if (!names.isEmpty() || (!only && parts.stream().noneMatch(p -> p.name().isEmpty()))) {
        unjudged.add(
            "it can't be told which name in the network configuration is that of the card "
                + card.mac()
                + "; if its name changes with the hardware, it gets no address");
      }
      return;
    }
    String name = names.iterator().next();
    if (COUNTED.matcher(name).matches() || EVERY.matcher(name).matches()) {
      return;
    }
    if (PATTERN.matcher(name).matches()) {
      unjudged.add(
          "the network configuration is for cards called '"
              + name
              + "': what this one is called, and whether it is called so there, can't be told");
      return;
    }
    String file = "/etc/systemd/network/10-" + name + ".link";
    if (!hasUdev() || !NAME.matcher(name).matches() || root.tree().size(file).isPresent()) {
      unjudged.add(
          "the card "
              + card.mac()
              + " may not be called '"
              + name
              + "' there, as the guest has it");
      return;
    }
    edits.add(
        FileEdit.text(
            root,
            file,
            "",
            "# Put here by a refit: the card keeps its name, wherever it is plugged in.\n"
                + "[Match]\nMACAddress="
                + card.mac().toLowerCase(Locale.ROOT)
                + "\nType=ether\n\n[Link]\nName="
                + name
                + "\n",
            "the network configuration calls the card "
                + name
                + ", and hardware decides such names"));
  }

  /** Takes what the guest itself tells for names that may be several, or a pattern. */
  private static void named(Set<String> names, Card card) {
    List<String> told =
        card.names().stream()
            .filter(Cards::isPhysical)
            .filter(t -> names.stream().anyMatch(n -> matches(n, t)))
            .toList();
    if (told.size() == 1) {
      names.clear();
      names.addAll(told);
    }
  }

  /** Whether a name, or a pattern of the kind that shells have, matches another name. */
  private static boolean matches(String pattern, String name) {
    return NAME.matcher(name).matches()
        && name.matches(Pattern.quote(pattern).replace("*", "\\E.*\\Q").replace("?", "\\E.\\Q"));
  }

  private static boolean isPhysical(String name) {
    return PHYSICAL.matcher(name).matches();
  }

  /** What each bridge, bond and VLAN lies on, by name. */
  private static Map<String, Set<String>> below(List<NetworkFile.Part> parts) {
    Map<String, String> names = new HashMap<>();
    parts.forEach(p -> p.identity().ifPresent(id -> names.put(id, p.name())));
    Map<String, Set<String>> below = new HashMap<>();
    for (NetworkFile.Part p : parts) {
      Set<String> on = below.computeIfAbsent(p.name(), n -> new TreeSet<>());
      p.on().stream().limit(MOST_PORTS).forEach(on::add);
      Matcher tagged = TAGGED.matcher(p.name());
      if (tagged.matches()) {
        on.add(tagged.group(1));
      }
      p.under().stream()
          .limit(MOST_PORTS)
          .forEach(
              u ->
                  below
                      .computeIfAbsent(names.getOrDefault(u, u), n -> new TreeSet<>())
                      .add(p.name()));
    }
    return below;
  }

  /** The cards below a name: what a bridge, a bond or a VLAN lies on, at last; or the card. */
  private Set<String> physical(String name) {
    Set<String> cards = new TreeSet<>();
    Set<String> seen = new HashSet<>(Set.of(name));
    Deque<String> open = new ArrayDeque<>(seen);
    while (!open.isEmpty()) {
      String next = open.remove();
      Set<String> on = below.getOrDefault(next, Set.of());
      if (on.isEmpty()) {
        cards.add(next);
      }
      on.stream().filter(seen::add).forEach(open::add);
    }
    return cards;
  }

  /** Whether the guest has said itself what the card is called. */
  private boolean linked(Card card) throws IOException {
    List<String> own = new ArrayList<>();
    for (String directory : List.of("/etc/systemd/network/", "/etc/udev/rules.d/")) {
      for (String file : root.tree().list(directory)) {
        if (file.endsWith(".link") || file.endsWith(".rules")) {
          own.add(directory + file);
        }
      }
    }
    return own.stream()
        .flatMap(f -> guest.text(f).stream())
        .anyMatch(t -> new NetworkFile("", t).chooses(card.mac()));
  }

  private boolean hasUdev() throws IOException {
    return root.tree().size("/lib/systemd/systemd-udevd").isPresent()
        || root.tree().size("/usr/lib/systemd/systemd-udevd").isPresent()
        || root.tree().size("/usr/bin/udevadm").isPresent();
  }
}
