package bargelane.blocks.refit;

import bargelane.blocks.layout.LayoutException;
import bargelane.blocks.refit.Guest.Entry;
import bargelane.blocks.refit.Guest.Loader;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What can be said of a guest whose root file system can't be read: what it is, whether it starts
 * on other hardware all the same, and what is to be done in it before it moves.
 *
 * @param refused why it is not expected to start
 */
record Rootless(List<String> refused, List<String> unjudged) {

  private static final String WORD =
      ", see that it starts at the source with them, and give your word";

  static Rootless of(Guest guest, Optional<Hardware> to) throws IOException {
    Rootless rootless = new Rootless(new ArrayList<>(), new ArrayList<>());
    Set<String> kinds = new LinkedHashSet<>();
    guest.contents().forEach(d -> d.forEach(c -> kinds.add(c.kind())));
    String what =
        kinds.contains("bitlocker")
            ? "its disks are encrypted with BitLocker"
            : kinds.contains("ntfs")
                ? "its disks hold NTFS, as Windows makes it, and only Linux is refitted here"
                : kinds.contains("luks")
                    ? "its root file system is encrypted with LUKS"
                    : "no root file system could be read";
    if (to.isEmpty()) {
      rootless.unjudged.add(what + ", so nothing can be changed in it");
    } else if (kinds.contains("bitlocker") || kinds.contains("ntfs")) {
      rootless.refused.add(
          what
              + ": before the move install the drivers for "
              + to.get()
              + " in it"
              + (kinds.contains("bitlocker")
                  ? ", have its recovery key at hand, suspend the encryption's protection"
                  : "")
              + WORD);
    } else {
      rootless.linux(guest, to.get(), what);
    }
    return rootless;
  }

  /** The loader and its initramfs are often readable where the root is not. */
  private void linux(Guest guest, Hardware to, String what) throws IOException {
    Set<String> seen = new LinkedHashSet<>();
    for (Loader loader : guest.loaders()) {
      for (Entry entry : loader.entries()) {
        for (String initrd : entry.initrds()) {
          Optional<String> path = Drivers.existing(loader.place(), initrd);
          if (path.isPresent() && seen.add(path.get())) {
            initramfs(path.get(), loader.place().tree().read(path.get(), Refit.MOST_INITRAMFS), to);
          }
        }
      }
    }
    if (!to.uefi()) {
      refused.addAll(guest.bootCode().refused(guest.loaders()));
    }
    if (!to.known() || seen.isEmpty()) {
      refused.add(what + ", so nothing can be changed in it");
    } else {
      unjudged.add(
          what
              + ", so its network configuration is not looked into: see in the guest that it names its"
              + " card by its hardware address and is right for the new network");
    }
  }

  private void initramfs(String path, byte[] file, Hardware to) throws IOException {
    Initramfs read;
    try {
      read = Initramfs.read(file);
    } catch (LayoutException e) {
      refused.add(path + " can't be read: " + e.getMessage());
      return;
    }
    Map<String, String> held = read.kernel().map(read::modules).orElse(Map.of());
    List<String> lacking =
        to.early().stream().filter(m -> !held.containsKey(m) && !read.builtIn(m)).toList();
    if (!lacking.isEmpty()) {
      refused.add(
          path
              + " lacks "
              + String.join(", ", lacking)
              + ", and the guest's own modules can't be read: add them to it in the guest before the"
              + " move"
              + WORD);
    }
  }
}
