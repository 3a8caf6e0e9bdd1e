package bargelane.blocks.layout;

import bargelane.blocks.layout.Ext4.FileExtent;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;

/**
 * Where a file's blocks lie: by an extent tree, or by the block map of ext2 and ext3 (Linux
 * documentation, "ext4 Data Structures and Algorithms", 4.1 and 4.2). Depth and counts are bounded.
 */
final class Ext4Map {

  private static final int MAX_DEPTH = 5;
  private static final int MOST_EXTENTS = 1_000_000;
  private static final int MOST_NODES = 20_000;

  /** Reads bytes of the disk. */
  interface Reader {
    ByteBuffer at(long offset, int length) throws IOException;
  }

  private final Reader read;
  private final long start;
  private final int blockSize;

  /**
   * @param start where the file system begins on the disk, in bytes
   */
  Ext4Map(Reader read, long start, int blockSize) {
    this.read = read;
    this.start = start;
    this.blockSize = blockSize;
  }

  /** What an extent tree tells, whose root is the map of an inode. */
  List<FileExtent> tree(ByteBuffer root) throws IOException {
    List<FileExtent> extents = new ArrayList<>();
    node(root, -1, extents, new int[1]);
    return extents;
  }

  /** What a block map tells: twelve blocks, then blocks of blocks, up to three levels. */
  List<FileExtent> blocks(ByteBuffer map, long size) throws IOException {
    List<FileExtent> extents = new ArrayList<>();
    long[] next = {0, (size + blockSize - 1) / blockSize, 0};
    for (int i = 0; i < 12; i++) {
      mapped(map.getInt(4 * i) & 0xffffffffL, 0, next, extents);
    }
    for (int level = 1; level <= 3; level++) {
      mapped(map.getInt(4 * (11 + level)) & 0xffffffffL, level, next, extents);
    }
    return extents;
  }

  /**
   * Blocks below one pointer of a block map; {@code next} is the file's block, its end, and the
   * pointers looked through.
   */
  private void mapped(long block, int level, long[] next, List<FileExtent> extents)
      throws IOException {
    if (next[0] >= next[1]) {
      return;
    }
    if (block == 0) {
      long skipped = 1;
      for (int i = 0; i < level; i++) {
        skipped *= blockSize / 4;
      }
      next[0] += skipped;
    } else if (level == 0) {
      long file = next[0]++ * blockSize;
      long at = start + block * blockSize;
      FileExtent last = extents.isEmpty() ? null : extents.get(extents.size() - 1);
      if (last != null
          && last.file() + last.length() == file
          && last.disk() + last.length() == at) {
        extents.set(
            extents.size() - 1,
            new FileExtent(last.file(), last.disk(), last.length() + blockSize));
      } else {
        extents.add(new FileExtent(file, at, blockSize));
      }
      if (extents.size() > MOST_EXTENTS) {
        throw new LayoutException(
            "a file in more than " + MOST_EXTENTS + " pieces is not credible");
      }
    } else {
      bounded((int) ++next[2]);
      ByteBuffer pointers = read.at(start + block * blockSize, blockSize);
      for (int i = 0; i < blockSize / 4; i++) {
        mapped(pointers.getInt(4 * i) & 0xffffffffL, level - 1, next, extents);
      }
    }
  }

  private static void bounded(int nodes) throws LayoutException {
    if (nodes > MOST_NODES) {
      throw new LayoutException(
          "a file mapped by more than " + MOST_NODES + " blocks is not credible");
    }
  }

  /** A node and what is below it; {@code expected} is its level, or -1 at the root. */
  private void node(ByteBuffer node, int expected, List<FileExtent> extents, int[] nodes)
      throws IOException {
    int entries = node.getShort(2) & 0xffff;
    int level = node.getShort(6) & 0xffff;
    bounded(++nodes[0]);
    if (node.getShort(0) != (short) 0xF30A
        || level > MAX_DEPTH
        || expected >= 0 && level != expected
        || 12 + 12 * entries > node.limit()) {
      throw new LayoutException("an extent tree is damaged");
    }
    for (int i = 0; i < entries; i++) {
      int at = 12 + 12 * i;
      if (level == 0) {
        int length = node.getShort(at + 4) & 0xffff;
        boolean unwritten = length > 32768;
        long block = (node.getInt(at + 8) & 0xffffffffL) | (node.getShort(at + 6) & 0xffffL) << 32;
        if (!unwritten) {
          extents.add(
              new FileExtent(
                  (node.getInt(at) & 0xffffffffL) * blockSize,
                  start + block * blockSize,
                  (long) length * blockSize));
        }
      } else {
        long child = (node.getInt(at + 4) & 0xffffffffL) | (node.getShort(at + 8) & 0xffffL) << 32;
        node(read.at(start + child * blockSize, blockSize), level - 1, extents, nodes);
      }
    }
  }
}
