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

  /** The first offset from {@code offset} on whose granule was written since. */
  long next(long offset) {
    int granule = (int) (offset / granularity);
    int next = map.next(granule);
    return next == granule ? offset : (long) next * granularity;
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
