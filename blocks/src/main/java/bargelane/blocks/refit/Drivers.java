package bargelane.blocks.refit;

import bargelane.blocks.layout.LayoutException;
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

/**
 * The drivers that a guest needs to find its disks and its card on other hardware, for every kernel
 * that its loader may start: those of the disks have to be in the initial RAM file system.
 *
 * @param edits that add what is lacking
 * @param refused why the guest is not expected to start
 */
record Drivers(List<FileEdit> edits, List<String> refused) {

  private static final int MOST_MODULE = 32 * 1024 * 1024;

  static Drivers of(Guest guest, Hardware to) throws IOException {
    Drivers drivers = new Drivers(new ArrayList<>(), new ArrayList<>());
    drivers.early(guest, to);
    drivers.late(guest, to);
    return drivers;
  }

  private void early(Guest guest, Hardware to) throws IOException {
    Set<String> seen = new LinkedHashSet<>();
    boolean kernel = false;
    for (Loader loader : guest.loaders()) {
      for (Entry entry : loader.entries()) {
        kernel |= existing(loader.place(), entry.kernel()).isPresent();
        for (String initrd : entry.initrds()) {
          Optional<String> path = existing(loader.place(), initrd);
          if (path.isPresent() && seen.add(path.get())) {
            supplement(guest, to, loader.place(), path.get());
          }
        }
      }
    }
    if (guest.loaders().isEmpty()) {
      refused.add("no loader configuration was found, so it is not known what starts");
    } else if (!kernel) {
      refused.add("the loader names no kernel that is there");
    } else if (seen.isEmpty()) {
      refused.add("the loader names no initramfs that is there");
    }
  }

  private void late(Guest guest, Hardware to) throws IOException {
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

  /**
   * A loader's path in the file system where its configuration lies. It may leave out the directory
   * that a boot file system is mounted at, and it names the subvolume of a btrfs.
   */
  static Optional<String> existing(Place place, String path) throws IOException {
    List<String> candidates = new ArrayList<>(List.of(path, "/boot" + path));
    int subvolume = place.within().indexOf("subvolume:");
    if (subvolume >= 0) {
      String top = "/" + place.within().substring(subvolume + "subvolume:".length()) + "/";
      if (path.startsWith(top)) {
        candidates.add(path.substring(top.length() - 1));
      }
    }
    for (String candidate : candidates) {
      if (place.tree().size(candidate).isPresent()) {
        return Optional.of(candidate.startsWith("/") ? candidate : "/" + candidate);
      }
    }
    return Optional.empty();
  }

  private void supplement(Guest guest, Hardware to, Place place, String path) throws IOException {
    byte[] file = place.tree().read(path, Refit.MOST_INITRAMFS);
    Initramfs initramfs;
    try {
      initramfs = Initramfs.read(file);
    } catch (LayoutException e) {
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
            initramfs.more(file, files),
            "it has no drivers "
                + String.join(", ", lacking.stream().map(KernelModules::name).toList())
                + ", without which the disks there are not found",
            told.toString()));
  }
}
