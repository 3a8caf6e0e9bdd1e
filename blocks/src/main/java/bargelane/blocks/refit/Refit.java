package bargelane.blocks.refit;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.refit.Guest.Loader;
import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Decides what must change in a guest for other hardware and other addresses. */
public final class Refit {

  static final int MOST_INITRAMFS = 512 * 1024 * 1024;

  /** Devices whose names the hardware decides. */
  static final Pattern DEVICE = Pattern.compile("/dev/(?:sd|hd|vd|xvd)[a-z]+\\d*");

  private static final String SEED = "/var/lib/cloud/seed/nocloud/";

  private final Guest guest;
  private final Hardware from;
  private final Hardware to;
  private final List<Card> cards;
  private final List<FileEdit> edits = new ArrayList<>();
  private final List<String> unjudged = new ArrayList<>();
  private final List<String> refused = new ArrayList<>();

  private Refit(Guest guest, Hardware from, Hardware to, List<Card> cards) {
    this.guest = guest;
    this.from = from;
    this.to = to;
    this.cards = cards;
  }

  /**
   * The plan for a guest that need not be looked into: with the same hardware on both sides, no new
   * address, no card that may be plugged in elsewhere and no firmware that keeps its own list of
   * what it starts, there is nothing to do.
   */
  public static Optional<RefitPlan> without(Hardware from, Hardware to, List<Card> cards) {
    // Where a card is plugged in may differ on like hardware too, and its name with it.
    boolean named = to.known() && cards.stream().anyMatch(c -> !c.mac().isEmpty());
    boolean listed = to.known() && to.uefi();
    return !from.equals(to) || named || listed || cards.stream().anyMatch(Card::moves)
        ? Optional.empty()
        : Optional.of(
            new RefitPlan(
                false,
                "",
                "",
                "both sides have " + from + ": nothing is to be changed",
                List.of(),
                List.of(),
                List.of(),
                List.of()));
  }

  /** Plans a refit that adds nothing but what is needed. */
  public static RefitPlan plan(Guest guest, Hardware from, Hardware to, List<Card> cards)
      throws IOException {
    return plan(guest, from, to, cards, List.of());
  }

  /**
   * Plans a refit.
   *
   * @param wanted names of the offers that are to be among its edits, as far as the guest lacks
   *     them
   */
  public static RefitPlan plan(
      Guest guest, Hardware from, Hardware to, List<Card> cards, List<String> wanted)
      throws IOException {
    Optional<RefitPlan> nothing = wanted.isEmpty() ? without(from, to, cards) : Optional.empty();
    return nothing.isPresent() ? nothing.get() : new Refit(guest, from, to, cards).plan(wanted);
  }

  /**
   * Plans to take former edits back, newest first; empty unless every file is still as they left
   * it.
   */
  public static Optional<RefitPlan> reverse(Guest guest, List<FileEdit> made) throws IOException {
    List<FileEdit> back = new ArrayList<>();
    for (FileEdit e : made) {
      Optional<bargelane.blocks.layout.FileTree> tree =
          e.disk() >= guest.contents().size()
              ? Optional.empty()
              : guest.contents().get(e.disk()).stream()
                  .filter(c -> c.partition() == e.partition() && c.within().equals(e.within()))
                  .findFirst()
                  .flatMap(c -> c.tree());
      if (tree.isEmpty()
          || tree.get().size(e.path()).isEmpty()
          || !FileEdit.digest(tree.get().read(e.path(), MOST_INITRAMFS)).equals(e.after())) {
        return Optional.empty();
      }
      back.add(0, e.reversed());
    }
    return Optional.of(
        new RefitPlan(
            !back.isEmpty(),
            guest.os(),
            guest.firmware(),
            back.size() == 1
                ? "1 file becomes what it was"
                : back.size() + " files become what they were",
            back,
            List.of(),
            List.of(),
            List.of()));
  }

  private RefitPlan plan(List<String> wanted) throws IOException {
    List<Offer> offers = List.of();
    boolean hardware = !from.equals(to);
    boolean moves = cards.stream().anyMatch(Card::moves);
    unjudged.addAll(guest.unread());
    if (to.uefi()) {
      UefiStart start = UefiStart.of(guest);
      edits.addAll(start.edits());
      refused.addAll(start.refused());
      unjudged.addAll(start.unjudged());
    }
    if (guest.root().isEmpty()) {
      // Within one family it starts as it did; only its addresses stay.
      Rootless rootless = Rootless.of(guest, hardware ? Optional.of(to) : Optional.empty());
      refused.addAll(rootless.refused());
      unjudged.addAll(rootless.unjudged());
    } else {
      if (hardware && !to.known()) {
        refused.add("what drivers " + to + " need is not known here");
      } else if (hardware) {
        Drivers drivers = Drivers.of(guest, to);
        edits.addAll(drivers.edits());
        refused.addAll(drivers.refused());
        if (!to.uefi()) {
          refused.addAll(guest.bootCode().refused(guest.loaders()));
        }
        names();
      }
      Mounts mounts = new Mounts(guest, hardware);
      refused.addAll(mounts.refused());
      unjudged.addAll(mounts.unjudged());
      Cards network = new Cards(guest, cards);
      network.plan();
      edits.addAll(network.edits());
      unjudged.addAll(network.unjudged());
      if (hardware || moves) {
        firstBoot();
      }
      if (hardware) {
        edits.addAll(PlatformAgents.hushed(guest.root().orElseThrow()));
      }
      Offers found = Offers.of(guest);
      offers = found.offers();
      wanted.forEach(offer -> found.touches(offer).forEach(this::touch));
    }
    refused.addAll(Fits.lacking(guest, edits));
    return new RefitPlan(
        !edits.isEmpty(),
        guest.os(),
        guest.firmware(),
        edits.isEmpty()
            ? refused.isEmpty() ? "it has all that " + to + " need" : "it can't be refitted"
            : (edits.size() == 1 ? "1 file changes" : edits.size() + " files change")
                + ", from "
                + from
                + " to "
                + to,
        List.copyOf(edits),
        List.copyOf(unjudged),
        List.copyOf(refused),
        List.copyOf(offers));
  }

  /** Changes a file that may be among the edits already. */
  private void touch(Offers.Touch t) {
    Optional<FileEdit> made =
        edits.stream().filter(e -> e.at(t.place()) && e.path().equals(t.path())).findFirst();
    String text = made.map(e -> new String(e.content(), StandardCharsets.UTF_8)).orElse(t.before());
    String reason = made.map(e -> e.reason() + "; ").orElse("") + t.reason();
    made.ifPresent(edits::remove);
    change(t.place(), t.path(), t.before(), t.change().apply(text), reason);
  }

  // ---- names of devices

  private void names() throws IOException {
    Place root = guest.root().orElseThrow();
    guest
        .text("/etc/fstab")
        .ifPresent(
            fstab -> {
              StringBuilder fresh = new StringBuilder();
              for (String line : fstab.split("\n", -1)) {
                String device = line.strip().split("\\s+")[0];
                fresh
                    .append(DEVICE.matcher(device).matches() ? stable(line, device) : line)
                    .append("\n");
              }
              fresh.setLength(fresh.length() - 1);
              change(
                  root,
                  "/etc/fstab",
                  fstab,
                  fresh.toString(),
                  "names of disks change with the hardware; identities stay");
            });
    for (Loader loader : guest.loaders()) {
      StringBuilder fresh = new StringBuilder();
      Matcher m = Pattern.compile("root=(" + DEVICE.pattern() + ")").matcher(loader.text());
      while (m.find()) {
        m.appendReplacement(
            fresh, Matcher.quoteReplacement("root=" + stable(m.group(1), m.group(1))));
      }
      m.appendTail(fresh);
      change(
          loader.place(),
          loader.path(),
          loader.text(),
          fresh.toString(),
          "the root file system is named by its disk, whose name changes");
    }
  }

  private String stable(String line, String device) {
    Optional<String> uuid = guest.behind(device).map(Contents::uuid).filter(u -> !u.isEmpty());
    if (uuid.isEmpty()) {
      unjudged.add(
          "the identity of " + device + " is not known, so its name stays: " + line.strip());
      return line;
    }
    return line.replace(device, "UUID=" + uuid.get());
  }

  private void change(Place place, String path, String before, String after, String reason) {
    if (!before.equals(after)) {
      edits.add(FileEdit.text(place, path, before, after, reason));
    }
  }

  // ---- first-boot data

  /**
   * Leaves first-boot data where cloud-init looks for it without a platform (cloud-init, "NoCloud",
   * sources of configuration data): under the identity that it has already acted for, so that
   * nothing is set up a second time, and with the network left as it is configured.
   */
  private void firstBoot() throws IOException {
    Place root = guest.root().orElseThrow();
    if (root.tree().size("/etc/cloud/cloud.cfg").isEmpty()
        || root.tree().size("/etc/cloud/cloud-init.disabled").isPresent()) {
      return;
    }
    List<String> files = new ArrayList<>(List.of("/etc/cloud/cloud.cfg"));
    root.tree().list("/etc/cloud/cloud.cfg.d").stream()
        .filter(f -> f.endsWith(".cfg"))
        .sorted()
        .forEach(f -> files.add("/etc/cloud/cloud.cfg.d/" + f));
    String sources = "";
    for (String file : files) {
      Matcher m =
          Pattern.compile("(?m)^datasource_list:\\s*(\\[[^\\]]*\\])")
              .matcher(guest.text(file).orElse(""));
      while (m.find()) {
        sources = m.group(1);
      }
    }
    if (!sources.isEmpty() && !sources.contains("NoCloud")) {
      unjudged.add(
          "cloud-init looks for its data at "
              + sources
              + " only, and may set the guest up afresh where that does not answer");
      return;
    }
    Optional<String> identity = guest.text("/var/lib/cloud/data/instance-id").map(String::strip);
    if (identity.isEmpty() || identity.get().isEmpty()) {
      unjudged.add("cloud-init has never run to its end, so its identity is not known");
      return;
    }
    String name = guest.text("/etc/hostname").map(String::strip).orElse("");
    seed(
        root,
        "meta-data",
        "instance-id: "
            + identity.get()
            + "\n"
            + (name.isEmpty() ? "" : "local-hostname: " + name + "\n"));
    seed(root, "user-data", "#cloud-config\n{}\n");
    seed(root, "network-config", "config: disabled\n");
  }

  /** What is there already is the guest's own and stays. */
  private void seed(Place root, String file, String content) {
    if (guest.text(SEED + file).isEmpty()) {
      change(
          root,
          SEED + file,
          "",
          content,
          "cloud-init finds its data without the former platform, and sets nothing up afresh");
    }
  }
}
