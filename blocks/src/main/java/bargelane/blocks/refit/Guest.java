package bargelane.blocks.refit;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.layout.Contents;
import bargelane.blocks.layout.CopiedFiles;
import bargelane.blocks.layout.FileTree;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What is inside a guest's disks, as far as a change of hardware and networks touches it. Read
 * through the same devices that passes use; nothing is written.
 *
 * @param contents of all disks, in boot order
 * @param root the file system that holds {@code /etc}
 * @param loaders the loader's configurations
 * @param unread why something could not be looked into
 * @param bootCode what BIOS firmware would start
 */
public record Guest(
    List<List<Contents>> contents,
    Optional<Place> root,
    List<Loader> loaders,
    List<String> unread,
    BootCode bootCode) {

  /**
   * A file system and where it lies.
   *
   * @param within how it is reached from its partition, as {@link Contents} says
   */
  public record Place(int disk, int partition, String within, FileTree tree) {}

  /** A loader's configuration file and the entries that it lists. */
  public record Loader(Place place, String path, String text, List<Entry> entries) {}

  /** One entry: paths as the loader sees them. */
  public record Entry(String kernel, List<String> initrds, String arguments) {}

  static final int MOST_TEXT = 1 << 20;

  private static final List<String> CONFIGURATIONS =
      List.of(
          "/syslinux.cfg",
          "/syslinux/syslinux.cfg",
          "/extlinux/extlinux.conf",
          "/extlinux.conf",
          "/grub/grub.cfg",
          "/grub2/grub.cfg");

  /** Looks into a guest's disks, in boot order. */
  public static Guest look(List<? extends BlockDevice> disks) throws IOException {
    return look(disks, Optional.empty());
  }

  /**
   * Looks into a guest's disks, in boot order.
   *
   * @param copied what a yard copied out of file systems that are not read here
   */
  public static Guest look(List<? extends BlockDevice> disks, Optional<BlockDevice> copied)
      throws IOException {
    List<List<Contents>> contents = new ArrayList<>();
    List<String> unread = new ArrayList<>();
    for (int i = 0; i < disks.size(); i++) {
      try {
        contents.add(Contents.of(disks.get(i)));
      } catch (bargelane.blocks.layout.LayoutException e) {
        contents.add(List.of());
        unread.add("disk " + i + ": " + e.getMessage());
      }
    }
    if (copied.isPresent()) {
      contents = CopiedFiles.with(contents, copied.get());
    }
    List<Place> trees = new ArrayList<>();
    for (int i = 0; i < contents.size(); i++) {
      for (Contents c : contents.get(i)) {
        if (c.tree().isPresent()) {
          trees.add(new Place(i, c.partition(), c.within(), c.tree().get()));
        } else if (!c.trouble().isEmpty() && !c.kind().equals("swap")) {
          unread.add("disk " + i + " partition " + c.partition() + ": " + c.trouble());
        }
      }
    }
    Optional<Place> root = Optional.empty();
    for (Place p : trees) {
      if (root.isEmpty() && p.tree.size("/etc/fstab").isPresent()) {
        root = Optional.of(p);
      }
    }
    List<Loader> loaders = new ArrayList<>();
    for (Place p : trees) {
      for (String prefix : List.of("", "/boot")) {
        for (String path : CONFIGURATIONS) {
          if (p.tree.size(prefix + path).isPresent()) {
            loaders.add(loader(p, prefix + path));
          }
        }
        for (String entry : p.tree.list(prefix + "/loader/entries")) {
          if (entry.endsWith(".conf")) {
            loaders.add(loader(p, prefix + "/loader/entries/" + entry));
          }
        }
      }
    }
    return new Guest(
        contents,
        root,
        loaders,
        unread,
        disks.isEmpty() ? new BootCode(false, "") : BootCode.of(disks.get(0)));
  }

  private static Loader loader(Place place, String path) throws IOException {
    String text = new String(place.tree.read(path, MOST_TEXT), StandardCharsets.UTF_8);
    List<Entry> entries = new ArrayList<>();
    String kernel = "";
    String arguments = "";
    List<String> initrds = new ArrayList<>();
    for (String line : text.split("\n")) {
      String[] words = line.strip().split("\\s+");
      String key = words[0].toLowerCase(java.util.Locale.ROOT);
      if (words.length > 1) {
        switch (key) {
          case "linux", "kernel", "linux16", "linuxefi" -> {
            if (!kernel.isEmpty()) {
              entries.add(new Entry(kernel, List.copyOf(initrds), arguments));
              initrds.clear();
              arguments = "";
            }
            kernel = words[1];
            if (words.length > 2) {
              arguments = String.join(" ", List.of(words).subList(2, words.length));
            }
          }
          case "initrd", "initrd16", "initrdefi" -> {
            for (String file :
                String.join(",", List.of(words).subList(1, words.length)).split(",")) {
              initrds.add(file);
            }
          }
          case "append", "options" ->
              arguments = String.join(" ", List.of(words).subList(1, words.length));
          default -> {}
        }
      }
    }
    if (!kernel.isEmpty()) {
      entries.add(new Entry(kernel, List.copyOf(initrds), arguments));
    }
    return new Loader(place, path, text, entries);
  }

  /** Where there may be files that only a yard reads: disks and partitions, as {@code 0/2}. */
  public List<String> hidden() {
    List<String> hidden = new ArrayList<>();
    for (int i = 0; i < contents.size(); i++) {
      for (Contents c : contents.get(i)) {
        if (c.hidden()) {
          hidden.add(i + "/" + c.partition());
        }
      }
    }
    return hidden;
  }

  /** {@code uefi} if the disks are made to be started so, else {@code bios}. */
  public String firmware() {
    return contents.stream()
            .flatMap(List::stream)
            .anyMatch(c -> c.type() == bargelane.blocks.layout.Partition.EFI)
        ? "uefi"
        : "bios";
  }

  /** The operating system by its own name (os-release(5)); empty if it does not tell. */
  public String os() throws IOException {
    Map<String, String> release = new LinkedHashMap<>();
    text("/etc/os-release")
        .or(() -> text("/usr/lib/os-release"))
        .ifPresent(
            t ->
                t.lines()
                    .filter(l -> l.contains("="))
                    .forEach(
                        l ->
                            release.put(
                                l.substring(0, l.indexOf('=')),
                                l.substring(l.indexOf('=') + 1).replace("\"", ""))));
    return release.getOrDefault("PRETTY_NAME", release.getOrDefault("NAME", ""));
  }

  /** A text file of the root file system; empty if it is not there or not to be read. */
  Optional<String> text(String path) {
    try {
      return root.isPresent() && root.get().tree().size(path).isPresent()
          ? Optional.of(new String(root.get().tree().read(path, MOST_TEXT), StandardCharsets.UTF_8))
          : Optional.empty();
    } catch (IOException e) {
      return Optional.empty();
    }
  }

  /** The file system behind a device name of the present hardware such as {@code /dev/sdb1}. */
  Optional<Contents> behind(String device) {
    java.util.regex.Matcher m =
        java.util.regex.Pattern.compile("/dev/(?:sd|hd|vd|xvd)([a-z])(\\d*)").matcher(device);
    if (!m.matches()) {
      return Optional.empty();
    }
    int disk = m.group(1).charAt(0) - 'a';
    int partition = m.group(2).isEmpty() ? 0 : Integer.parseInt(m.group(2));
    return disk >= contents.size()
        ? Optional.empty()
        : contents.get(disk).stream().filter(c -> c.partition() == partition).findFirst();
  }
}
