package bargelane.standins.store;

import java.io.IOException;
import java.nio.MappedByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;

/** One byte a block in a mapped file: it outlives the process, however that ends. */
final class BlockMap {

  static final byte ABSENT = 0;
  static final byte DATA = 1;
  static final byte ZERO = 2;

  private final MappedByteBuffer bytes;
  private final int length;

  BlockMap(Path file, int length) throws IOException {
    this.length = length;
    try (FileChannel channel =
        FileChannel.open(
            file, StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE)) {
      this.bytes = channel.map(FileChannel.MapMode.READ_WRITE, 0, Math.max(1, length));
    }
  }

  byte get(int block) {
    return bytes.get(block);
  }

  void set(int block, byte value) {
    bytes.put(block, value);
  }

  int length() {
    return length;
  }

  /** Whether eight blocks from one on are absent, or lie behind the map's end. */
  boolean absent8(int from) {
    return from >= length || from + 8 <= length && bytes.getLong(from) == 0;
  }

  /** The first block from {@code from} on that is not absent; the map's length if none is. */
  int next(int from) {
    int i = from;
    while (i < length && (absent8(i) || bytes.get(i) == ABSENT)) {
      i += absent8(i) ? 8 : 1;
    }
    return Math.min(i, length);
  }

  int count(byte value) {
    int n = 0;
    for (int i = next(0); i < length; i = next(i + 1)) {
      if (bytes.get(i) == value) {
        n++;
      }
    }
    return n;
  }

  /** Copies what is not absent; the rest of the other must be absent. */
  void copyTo(BlockMap other) {
    for (int i = next(0); i < length; i = next(i + 1)) {
      other.set(i, get(i));
    }
  }

  void force() {
    bytes.force();
  }
}
