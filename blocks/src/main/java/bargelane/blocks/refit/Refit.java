package bargelane.blocks.refit;

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

  /** An address that a guest has and the one that it is to have. */
  public record Readdress(String from, String to, String mask, String gateway) {}

  private static final int MOST_INITRAMFS = 512 * 1024 * 1024;
  private static final int MOST_MODULE = 32 * 1024 * 1024;

  /** Devices whose names the hardware decides. */
  private static final Pattern DEVICE = Pattern.compile("/dev/(?:sd|hd|vd|xvd)[a-z]+\\d*");

  private static final String SEED = "/var/lib/cloud/seed/nocloud/";

  private final Guest guest;
  private final Hardware from;
  private final Hardware to;
  private final List<Readdress> addresses;
  private final List<FileEdit> edits = new ArrayList<>();
  private final List<String> unjudged = new ArrayList<>();
  private final List<String> refused = new ArrayList<>();

  private Refit(Guest guest, Hardware from, Hardware to, List<Readdress> addresses) {
    this.guest = guest;
    this.from = from;
    this.to = to;
    this.addresses = addresses;
  }

  /**
   * Plans a refit. With the same hardware on both sides and no new address there is nothing to do,
   * and nothing is looked at.
   */
  public static RefitPlan plan(Guest guest, Hardware from, Hardware to, List<Readdress> addresses)
      throws IOException {
    return new Refit(guest, from, to, addresses).plan();
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
                  .filter(c -> c.partition() == e.partition())
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
            back.size() + " files become what they were",
            back,
            List.of(),
            List.of()));
  }

  private RefitPlan plan() throws IOException {
    boolean hardware = !from.equals(to);
    if (!hardware && addresses.isEmpty()) {
      return new RefitPlan(
          false,
          guest.os(),
          guest.firmware(),
          "both sides have " + from + ": nothing is to be changed",
          List.of(),
          List.of(),
          List.of());
    }
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
      network();
      firstBoot();
      if (!from.equals(to)) {
        edits.addAll(PlatformAgents.hushed(guest.root().orElseThrow()));
      }
    }
    return new RefitPlan(
        !edits.isEmpty(),
        guest.os(),
        guest.firmware(),
        edits.isEmpty()
            ? refused.isEmpty() ? "it has all that " + to + " need" : "it can't be refitted"
            : edits.size() + " files change, from " + from + " to " + to,
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
    List<String> missing =
        to.early().stream().filter(m -> !initramfs.holds(m) && !modules.get().builtIn(m)).toList();
    if (missing.isEmpty()) {
      return;
    }
    List<String> absent = missing.stream().filter(m -> !modules.get().has(m)).toList();
    if (!absent.isEmpty()) {
      refused.add("kernel " + version.get() + " has no drivers " + String.join(", ", absent));
      return;
    }
    Map<String, byte[]> files = new LinkedHashMap<>();
    Set<String> closure = modules.get().closure(missing);
    String inside = modules.get().directory().substring(1);
    for (String module : closure) {
      String at = modules.get().directory() + "/" + module;
      files.put(inside + "/" + module, guest.root().orElseThrow().tree().read(at, MOST_MODULE));
    }
    byte[] index = initramfs.texts().getOrDefault(inside + "/modules.dep", new byte[0]);
    files.put(
        inside + "/modules.dep",
        (new String(index, StandardCharsets.UTF_8) + modules.get().index(closure))
            .getBytes(StandardCharsets.UTF_8));
    switch (initramfs.style()) {
      case LIST -> {
        String list =
            new String(initramfs.texts().get("conf/modules"), StandardCharsets.UTF_8).strip();
        files.put(
            "conf/modules",
            (list + "\n" + String.join("\n", missing) + "\n").getBytes(StandardCharsets.UTF_8));
      }
      case FRAGMENTS ->
          files.put(
              "etc/modules-load.d/refit.conf",
              (String.join("\n", missing) + "\n").getBytes(StandardCharsets.UTF_8));
      default -> {
        refused.add(
            path + " was made by a tool that is not known here: its drivers can't be named");
        return;
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
                + String.join(", ", missing)
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
    Optional<String> uuid =
        guest.behind(device).flatMap(c -> c.tree()).map(t -> t.uuid()).filter(u -> !u.isEmpty());
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

  // ---- addresses

  private void network() throws IOException {
    Place root = guest.root().orElseThrow();
    List<String> files = new ArrayList<>(List.of("/etc/network/interfaces"));
    for (String directory :
        List.of(
            "/etc/network/interfaces.d",
            "/etc/netplan",
            "/etc/systemd/network",
            "/etc/NetworkManager/system-connections",
            "/etc/sysconfig/network-scripts")) {
      root.tree().list(directory).forEach(f -> files.add(directory + "/" + f));
    }
    for (Readdress a : addresses) {
      boolean found = false;
      for (String file : files) {
        Optional<String> text = guest.text(file);
        if (text.isPresent() && holds(text.get(), a.from())) {
          found = true;
          change(
              root,
              file,
              text.get(),
              readdressed(text.get(), a),
              "the address " + a.from() + " becomes " + a.to());
        }
      }
      if (!found) {
        unjudged.add(
            "the address " + a.from() + " is in no network configuration that is read here");
      }
    }
  }

  private static Pattern whole(String address) {
    return Pattern.compile("(?<![\\d.])" + Pattern.quote(address) + "(?![\\d.]*\\d)");
  }

  private static boolean holds(String text, String address) {
    return whole(address).matcher(text).find();
  }

  private static String readdressed(String text, Readdress a) {
    String fresh = whole(a.from()).matcher(text).replaceAll(a.to());
    fresh = fresh.replaceAll("(?m)^(\\s*netmask\\s+)\\S+", "$1" + a.mask());
    return fresh.replaceAll(
        "(?m)^(\\s*(?:gateway\\s+|Gateway=|gateway4:\\s*))\\S+", "$1" + a.gateway());
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
