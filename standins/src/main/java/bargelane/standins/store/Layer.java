package bargelane.standins.store;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Optional;

/**
 * A sparse file with a map of which blocks it holds; blocks that it does not hold are its parent's.
 * Only the newest layer of a volume is written to.
 */
final class Layer {

  static final int BLOCK = 64 * 1024;

  private final String id;
  private final Path dir;
  private final FileChannel data;
  private final BlockMap map;
  private volatile Optional<Layer> parent;
  private int dataBlocks;

  Layer(String id, Path dir, long size, Optional<Layer> parent) throws IOException {
    this.id = id;
    this.dir = dir;
    this.parent = parent;
    this.data =
        FileChannel.open(
            dataFile(dir, id),
            StandardOpenOption.CREATE,
            StandardOpenOption.READ,
            StandardOpenOption.WRITE);
    this.map = new BlockMap(mapFile(dir, id), (int) ((size + BLOCK - 1) / BLOCK));
    this.dataBlocks = map.count(BlockMap.DATA);
  }

  private static Path dataFile(Path dir, String id) {
    return dir.resolve(id + ".data");
  }

  private static Path mapFile(Path dir, String id) {
    return dir.resolve(id + ".map");
  }

  /** Takes a raw disk image over as the data of a new layer: all-zero blocks are noted as such. */
  static void adopt(Path raw, Path dir, String id, long size) throws IOException {
    Files.move(raw, dataFile(dir, id));
    BlockMap map = new BlockMap(mapFile(dir, id), (int) ((size + BLOCK - 1) / BLOCK));
    ByteBuffer block = ByteBuffer.allocate(BLOCK);
    try (FileChannel data = FileChannel.open(dataFile(dir, id), StandardOpenOption.READ)) {
      long end = data.size();
      for (int i = 0; i < map.length(); i++) {
        if ((long) i * BLOCK >= end) {
          map.set(i, BlockMap.ZERO);
          continue;
        }
        block.clear();
        while (block.hasRemaining() && data.read(block, (long) i * BLOCK + block.position()) > 0) {
          // until the block is full or the file ends
        }
        map.set(
            i,
            block.flip().mismatch(ByteBuffer.allocate(block.limit())) < 0
                ? BlockMap.ZERO
                : BlockMap.DATA);
      }
    }
  }

  String id() {
    return id;
  }

  Optional<Layer> parent() {
    return parent;
  }

  void parent(Optional<Layer> newParent) {
    parent = newParent;
  }

  /** What it holds of a block; nothing of those behind its end, if the volume has grown since. */
  byte state(int block) {
    return block < map.length() ? map.get(block) : BlockMap.ABSENT;
  }

  int blocks() {
    return map.length();
  }

  /** The first block from {@code from} on that it holds; {@link #blocks} if there is none. */
  int next(int from) {
    return map.next(from);
  }

  /** Whether it holds none of eight blocks from one on. */
  boolean absent8(int from) {
    return map.absent8(from);
  }

  /** Bytes of data that this layer holds of its own. */
  synchronized long used() {
    return (long) dataBlocks * BLOCK;
  }

  synchronized void state(int block, byte state) {
    byte before = map.get(block);
    dataBlocks += (state == BlockMap.DATA ? 1 : 0) - (before == BlockMap.DATA ? 1 : 0);
    map.set(block, state);
  }

  void read(long offset, ByteBuffer into) throws IOException {
    while (into.hasRemaining()) {
      int n = data.read(into, offset);
      if (n < 0) {
        into.put(new byte[into.remaining()]);
        return;
      }
      offset += n;
    }
  }

  void write(long offset, ByteBuffer from) throws IOException {
    while (from.hasRemaining()) {
      offset += data.write(from, offset);
    }
  }

  void flush() throws IOException {
    data.force(false);
    map.force();
  }

  void close() throws IOException {
    data.close();
  }

  void delete() throws IOException {
    data.close();
    Files.deleteIfExists(dataFile(dir, id));
    Files.deleteIfExists(mapFile(dir, id));
  }
}
