package bargelane.blocks.refit;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.layout.FileTree.Room;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Whether the file systems of a guest have room for what changes in them. */
final class Fits {

  /** What a file takes at least, with its name. */
  private static final long BLOCK = 8192;

  /** What a file system keeps for itself that doesn't change in place. */
  private static final long OWN = 1 << 20;

  private Fits() {}

  /** A file system's place among the disks. */
  private record At(int disk, int partition, String within) {}

  /** What changes in one file system: bytes that it grows by, the most that are there twice. */
  private record Need(long grows, long twice, long files) {
    Need with(long more, long copied) {
      return new Need(grows + more, Math.max(twice, copied), files + 1);
    }
  }

  /** Why there is no room, file system by file system; empty where there is, or can't be told. */
  static List<String> lacking(Guest guest, List<FileEdit> edits) throws IOException {
    Map<At, Need> needs = new LinkedHashMap<>();
    for (FileEdit e : edits) {
      // A file is replaced through a copy beside it.
      long size =
          e.copyOf().isEmpty()
              ? e.content().length
              : guest.contents().get(e.disk()).stream()
                  .filter(c -> c.partition() == e.partition() && c.within().equals(e.within()))
                  .findFirst()
                  .flatMap(Contents::tree)
                  .orElseThrow()
                  .size(e.copyOf())
                  .orElse(0L);
      long more = Math.max(0, size - e.former().length) + BLOCK;
      needs.merge(
          new At(e.disk(), e.partition(), e.within()),
          new Need(0, 0, 0).with(more, e.keep() > 0 ? 0 : size + BLOCK),
          (a, b) -> new Need(a.grows + b.grows, Math.max(a.twice, b.twice), a.files + b.files));
    }
    List<String> lacking = new ArrayList<>();
    for (Map.Entry<At, Need> need : needs.entrySet()) {
      At at = need.getKey();
      for (Contents c : guest.contents().get(at.disk)) {
        if (c.partition() == at.partition && c.within().equals(at.within)) {
          lacking(c, at, need.getValue()).ifPresent(lacking::add);
        }
      }
    }
    return lacking;
  }

  private static Optional<String> lacking(Contents contents, At at, Need need) throws IOException {
    Optional<Room> room = contents.tree().orElseThrow().room();
    if (room.isEmpty()) {
      return Optional.empty();
    }
    String where =
        "the "
            + contents.kind()
            + " file system at disk "
            + at.disk
            + (at.partition == 0 ? "" : " partition " + at.partition)
            + (at.within.isEmpty() ? "" : " (" + at.within + ")");
    long bytes = need.grows + need.twice + (contents.kind().equals("btrfs") ? OWN : 0);
    if (!room.get().writable()) {
      return Optional.of(where + " is marked read-only, and files must change in it");
    }
    if (room.get().bytes() < bytes) {
      return Optional.of(
          where
              + " has "
              + kib(room.get().bytes())
              + " free, and what changes in it takes "
              + kib(bytes)
              + ": make room at the source");
    }
    return room.get().files() < need.files
        ? Optional.of(where + " takes no more files: remove some at the source")
        : Optional.empty();
  }

  private static String kib(long bytes) {
    return (bytes + 1023) / 1024 + " KiB";
  }
}
