package bargelane.blocks.refit;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.refit.Guest.Entry;
import bargelane.blocks.refit.Guest.Loader;
import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Decides what must change in a guest for other hardware and other addresses. */
public final class Refit {

  private static final int MOST_INITRAMFS = 512 * 1024 * 1024;
  private static final int MOST_MODULE = 32 * 1024 * 1024;

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
                List.of()));
  }

  /** Plans a refit. */
  public static RefitPlan plan(Guest guest, Hardware from, Hardware to, List<Card> cards)
      throws IOException {
    Optional<RefitPlan> nothing = without(from, to, cards);
    return nothing.isPresent() ? nothing.get() : new Refit(guest, from, to, cards).plan();
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
            List.of()));
  }

  private RefitPlan plan() throws IOException {
    boolean hardware = !from.equals(to);
    boolean moves = cards.stream().anyMatch(Card::moves);
    unjudged.addAll(guest.unread());
    if (guest.root().isEmpty()) {
      // Within one family it starts as it did; only its addresses stay.
      (hardware ? refused : unjudged)
          .add("no root file system could be read, so nothing can be changed in it");
    } else {
      if (hardware && !to.known()) {
        refused.add("what drivers " + to + " need is not known here");
      } else if (hardware) {
        drivers();
        names();
      }
      if (to.uefi()) {
        UefiStart start = UefiStart.of(guest);
        edits.addAll(start.edits());
        refused.addAll(start.refused());
        unjudged.addAll(start.unjudged());
      }
      Mounts mounts = new Mounts(guest, hardware);
      refused.addAll(mounts.refused());
      unjudged.addAll(mounts.unjudged());
      Cards network = new Cards(guest);
      network.plan(cards);
      edits.addAll(network.edits());
      unjudged.addAll(network.unjudged());
      if (hardware || moves) {
        firstBoot();
      }
      if (hardware) {
        edits.addAll(PlatformAgents.hushed(guest.root().orElseThrow()));
      }
    }
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
        List.copyOf(refused));
  }

  // ---- boot drivers

  private void drivers() throws IOException {
    Set<String> seen = new LinkedHashSet<>();
    for (Loader loader : guest.loaders()) {
      for (Entry entry : loader.entries()) {
        for (String initrd : entry.initrds()) {
          Optional<String> path = existing(loader.place(), initrd);
          if (path.isPresent() && seen.add(path.get())) {
            supplement(loader.place(), path.get());
          }
        }
      }
    }
    if (guest.loaders().isEmpty()) {
      refused.add("no loader configuration was found, so it is not known what starts");
    } else if (seen.isEmpty()) {
      refused.add("the loader names no initramfs that is there");
    }
    for (String version : KernelModules.versions(guest.root().orElseThrow().tree())) {
      Optional<KernelModules> modules =
          KernelModules.of(guest.root().orElseThrow().tree(), version);
      for (String driver : to.late()) {
        if (modules.isPresent() && !modules.get().has(driver)) {
          refused.add("kernel " + version + " has no driver " + driver + " for the network card");
        }
      }
    }
  }

  /** A loader's path, which may leave out the directory that the boot file system is mounted at. */
  private static Optional<String> existing(Place place, String path) throws IOException {
    for (String candidate : List.of(path, "/boot" + path)) {
      if (place.tree().size(candidate).isPresent()) {
        return Optional.of(candidate.startsWith("/") ? candidate : "/" + candidate);
      }
    }
    return Optional.empty();
  }

  private void supplement(Place place, String path) throws IOException {
    byte[] file = place.tree().read(path, MOST_INITRAMFS);
    Initramfs initramfs;
    try {
      initramfs = Initramfs.read(file);
    } catch (bargelane.blocks.layout.LayoutException e) {
      refused.add(path + " can't be read: " + e.getMessage());
      return;
    }
    Optional<String> version = initramfs.kernel();
    Optional<KernelModules> modules =
        version.isEmpty()
            ? Optional.empty()
            : KernelModules.of(guest.root().orElseThrow().tree(), version.get());
    if (modules.isEmpty()) {
      refused.add(
          path
              + " has "
              + version
                  .map(v -> "modules of kernel " + v + ", of which the guest has none")
                  .orElse("no modules"));
      return;
    }
    Map<String, String> held = initramfs.modules(version.get());
    List<String> absent = to.early().stream().filter(m -> !modules.get().has(m)).toList();
    if (!absent.isEmpty()) {
      refused.add("kernel " + version.get() + " has no drivers " + String.join(", ", absent));
      return;
    }
    Set<String> lacking = modules.get().closure(to.early());
    lacking.removeIf(module -> held.containsKey(KernelModules.name(module)));
    if (lacking.isEmpty()) {
      return;
    }
    if (!initramfs.hasProgram("modprobe")
        && !initramfs.hasProgram("systemd-modules-load")
        && !initramfs.hasProgram("busybox")) {
      refused.add(path + " has no program that loads drivers");
      return;
    }
    // Its own paths: under a linked directory our files would take the link's place.
    String inside = initramfs.resolved(modules.get().directory().substring(1));
    Map<String, byte[]> files = new LinkedHashMap<>();
    for (String module : lacking) {
      String at = modules.get().directory() + "/" + module;
      files.put(inside + "/" + module, guest.root().orElseThrow().tree().read(at, MOST_MODULE));
      held.put(KernelModules.name(module), module);
    }
    modules.get().indexes(held).forEach((f, bytes) -> files.put(inside + "/" + f, bytes));
    String names = String.join("\n", to.early()) + "\n";
    switch (initramfs.style()) {
      case LIST -> {
        byte[] list = initramfs.texts().getOrDefault(Initramfs.MODULES_LIST, new byte[0]);
        String first = new String(list, StandardCharsets.UTF_8).strip();
        files.put(
            initramfs.resolved(Initramfs.MODULES_LIST),
            (first.isEmpty() ? names : first + "\n" + names).getBytes(StandardCharsets.UTF_8));
      }
      case FRAGMENTS ->
          files.put(
              initramfs.resolved("etc/modules-load.d/refit.conf"),
              names.getBytes(StandardCharsets.UTF_8));
      default -> {
        if (!initramfs.hasProgram("systemd-udevd") && !initramfs.hasProgram("udevd")) {
          refused.add(
              path + " was made by a tool that is not known here: its drivers can't be named");
          return;
        }
      }
    }
    StringBuilder told = new StringBuilder();
    files.forEach(
        (f, c) -> told.append("+ ").append(f).append(", ").append(c.length).append(" bytes\n"));
    edits.add(
        FileEdit.append(
            place,
            path,
            file,
            Initramfs.write(files),
            "it has no drivers "
                + String.join(", ", lacking.stream().map(KernelModules::name).toList())
                + ", without which the disks there are not found",
            told.toString()));
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
