package bargelane.standins.store;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/** A named instant of one volume since when written granules are noted. */
public final class Marker {

  private final Path file;
  private final int granularity;
  private final BlockMap map;

  Marker(Path file, long size, int granularity) throws IOException {
    this.file = file;
    this.granularity = granularity;
    this.map = new BlockMap(file, (int) ((size + granularity - 1) / granularity));
  }

  void note(long offset) {
    map.set((int) (offset / granularity), BlockMap.DATA);
  }

  /** Whether the granule with this byte was written since. */
  public boolean noted(long offset) {
    return map.get((int) (offset / granularity)) == BlockMap.DATA;
  }

  /** Whether no granule of the 64 KiB blocks from one on, eight of them, was written since. */
  boolean absent8(int block) {
    long from = (long) block * Layer.BLOCK;
    int first = (int) (from / granularity);
    int last = (int) ((from + 8L * Layer.BLOCK - 1) / granularity);
    for (int i = first; i <= last; i += 8) {
      if (!map.absent8(i)) {
        return false;
      }
    }
    return true;
  }

  Marker copy(Path to, long size) throws IOException {
    Marker copy = new Marker(to, size, granularity);
    map.copyTo(copy.map);
    return copy;
  }

  void delete() throws IOException {
    Files.deleteIfExists(file);
  }
}
