package bargelane.blocks.refit;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.layout.FileTree;
import bargelane.blocks.layout.Partition;
import bargelane.blocks.refit.Guest.Place;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/**
 * What UEFI firmware starts in a machine that is new to it. The list of what it starts lies in
 * variables of the former machine's firmware and stays behind; without it only the loader at the
 * fallback path of an EFI system partition is found (UEFI Specification 2.10, 3.5.1.1 "Removable
 * media boot behavior").
 *
 * @param edits that put the guest's own loader at the fallback path where there is none
 * @param refused why nothing can be started
 * @param unjudged what could not be looked at
 */
record UefiStart(List<FileEdit> edits, List<String> refused, List<String> unjudged) {

  private static final String FALLBACK = "/EFI/BOOT/BOOTX64.EFI";
  private static final String REASON =
      "the list of what UEFI starts stays with the former machine, and this disk has no loader where"
          + " firmware looks without it";
  private static final int MOST_LOADER = 64 * 1024 * 1024;

  /** A signed first loader, which starts the second that lies beside it. */
  private static final String FIRST = "shimx64.efi";

  /** What lies beside the first loader and is found by it there. */
  private static final List<String> BESIDE = List.of("grubx64.efi", "mmx64.efi");

  /** Loaders that need no first one, the likelier one first. */
  private static final List<String> ALONE = List.of("grubx64.efi", "systemd-bootx64.efi");

  /** A directory of the system partition with what it starts. */
  private record Vendor(Place place, String directory, String loader) {}

  static UefiStart of(Guest guest) throws IOException {
    List<Place> partitions = new ArrayList<>();
    List<String> unread = new ArrayList<>();
    for (int disk = 0; disk < guest.contents().size(); disk++) {
      for (Contents c : guest.contents().get(disk)) {
        if (c.type() == Partition.EFI && c.tree().isPresent()) {
          partitions.add(new Place(disk, c.partition(), c.within(), c.tree().get()));
        } else if (c.type() == Partition.EFI) {
          unread.add("the EFI system partition of disk " + disk + " can't be read");
        }
      }
    }
    List<Vendor> vendors = new ArrayList<>();
    for (Place p : partitions) {
      if (p.tree().size(FALLBACK).isPresent()) {
        return new UefiStart(List.of(), damaged(p.tree(), FALLBACK), List.of());
      }
      for (String name : p.tree().list("/EFI")) {
        loader(p.tree(), "/EFI/" + name).ifPresent(l -> vendors.add(new Vendor(p, name, l)));
      }
    }
    if (vendors.size() == 1) {
      Vendor v = vendors.get(0);
      List<String> damaged = damaged(v.place().tree(), "/EFI/" + v.directory() + "/" + v.loader());
      return new UefiStart(damaged.isEmpty() ? copies(v) : List.of(), damaged, List.of());
    }
    if (!unread.isEmpty()) {
      return new UefiStart(List.of(), List.of(), unread);
    }
    return new UefiStart(
        List.of(),
        List.of(
            vendors.isEmpty()
                ? "it is started by UEFI, and no EFI system partition has a loader that is known"
                    + " here: install it for removable media at the source"
                : "it is started by UEFI from one of several loaders, "
                    + String.join(", ", vendors.stream().map(v -> "/EFI/" + v.directory()).toList())
                    + ", and which one is kept by the former firmware only: install the one that is"
                    + " to start for removable media at the source"),
        List.of());
  }

  /** A loader is an image of the "portable executable" form, which begins with MZ. */
  private static List<String> damaged(FileTree tree, String path) throws IOException {
    byte[] image = tree.read(path, MOST_LOADER);
    return image.length > 2 && image[0] == 'M' && image[1] == 'Z'
        ? List.of()
        : List.of("the loader " + path + " is damaged: install it again at the source");
  }

  private static Optional<String> loader(FileTree tree, String directory) throws IOException {
    List<String> names =
        tree.list(directory).stream().map(n -> n.toLowerCase(Locale.ROOT)).toList();
    if (names.contains(FIRST) && names.contains(BESIDE.get(0))) {
      return Optional.of(FIRST);
    }
    return ALONE.stream().filter(names::contains).findFirst();
  }

  private static List<FileEdit> copies(Vendor v) throws IOException {
    List<FileEdit> edits = new ArrayList<>();
    String from = "/EFI/" + v.directory() + "/";
    edits.add(copy(v.place(), FALLBACK, from + v.loader()));
    if (v.loader().equals(FIRST)) {
      for (String beside : BESIDE) {
        if (v.place().tree().size(from + beside).isPresent()) {
          edits.add(copy(v.place(), "/EFI/BOOT/" + beside, from + beside));
        }
      }
    }
    return edits;
  }

  private static FileEdit copy(Place place, String path, String of) throws IOException {
    return FileEdit.copy(place, path, of, place.tree().read(of, MOST_LOADER), REASON);
  }
}
