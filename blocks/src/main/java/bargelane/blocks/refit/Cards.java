package bargelane.blocks.refit;

import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TreeSet;
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

  private static final Pattern PHYSICAL = Pattern.compile("(en|eth|wl|em|p\\d).*");

  private final Guest guest;
  private final Place root;
  private final List<NetworkFile> files;
  private final List<NetworkFile.Part> parts;
  private final List<FileEdit> edits = new ArrayList<>();
  private final List<String> unjudged = new ArrayList<>();

  Cards(Guest guest) throws IOException {
    this.guest = guest;
    this.root = guest.root().orElseThrow();
    this.files = NetworkFile.of(guest);
    this.parts = files.stream().flatMap(f -> f.parts().stream()).toList();
  }

  List<FileEdit> edits() {
    return edits;
  }

  List<String> unjudged() {
    return unjudged;
  }

  void plan(List<Card> cards) throws IOException {
    for (NetworkFile file : files) {
      String fresh = file.text();
      List<String> reasons = new ArrayList<>();
      for (Card card : cards) {
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
    for (Card card : cards) {
      address(card);
      if (!card.mac().isEmpty()) {
        name(card, cards.size() == 1);
      }
    }
  }

  private void address(Card card) {
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

  private void name(Card card, boolean only) throws IOException {
    if (parts.isEmpty() || files.stream().anyMatch(f -> f.chooses(card.mac())) || linked(card)) {
      return;
    }
    Set<String> names =
        parts.stream()
            .filter(p -> p.holds(card.from()))
            .map(Cards::physical)
            .collect(Collectors.toCollection(TreeSet::new));
    if (only && names.stream().noneMatch(n -> PHYSICAL.matcher(n).matches())) {
      // The address may be a bridge's or a bond's that the card is part of.
      names =
          parts.stream()
              .map(Cards::physical)
              .filter(n -> PHYSICAL.matcher(n).matches())
              .collect(Collectors.toCollection(TreeSet::new));
    }
    names.removeIf(String::isEmpty);
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
    if (COUNTED.matcher(name).matches()) {
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

  /** The card below a VLAN of it, or the card. */
  private static String physical(NetworkFile.Part part) {
    return part.name().replaceFirst("\\.\\d+$", "");
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
