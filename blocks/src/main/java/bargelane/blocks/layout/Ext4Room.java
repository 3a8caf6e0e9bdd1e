package bargelane.blocks.layout;

import bargelane.blocks.layout.FileTree.Room;
import java.io.IOException;
import java.nio.ByteBuffer;

/**
 * What an ext file system has free, counted group by group (kernel documentation, "ext4 Data
 * Structures and Algorithms", block group descriptors): what its super block says is of the last
 * time it was put away.
 */
final class Ext4Room {

  private static final int READ_ONLY = 0x1000;

  /** A part of what is free is the kernel's own where there are extents: a fiftieth of all. */
  private static final int KEPT = 50;

  /** At most so many blocks of it (its {@code ext4_set_resv_clusters}). */
  private static final long MOST_KEPT = 4096;

  interface Descriptors {
    ByteBuffer of(long group) throws IOException;
  }

  private Ext4Room() {}

  static Room of(ByteBuffer superBlock, long groups, Descriptors descriptors) throws IOException {
    boolean wide = (superBlock.getInt(96) & Ext4.INCOMPAT_64BIT) != 0;
    long free = 0;
    long files = 0;
    for (long group = 0; group < groups; group++) {
      ByteBuffer descriptor = descriptors.of(group);
      free += count(descriptor, 12, wide);
      files += count(descriptor, 14, wide);
    }
    boolean extents = (superBlock.getInt(96) & Ext4.INCOMPAT_EXTENTS) != 0;
    long blocks = superBlock.getInt(4) & 0xffffffffL;
    long kept = extents ? Math.min(blocks / KEPT, MOST_KEPT) : 0;
    return new Room(
        (superBlock.getInt(100) & READ_ONLY) == 0,
        Math.max(0, free - kept) * (1024L << superBlock.getInt(24)),
        files);
  }

  /** A count of two bytes, and two more in the second half of a wide descriptor. */
  private static long count(ByteBuffer descriptor, int at, boolean wide) {
    long low = descriptor.getShort(at) & 0xffff;
    return wide && descriptor.limit() >= 64
        ? low | (descriptor.getShort(at + 32) & 0xffffL) << 16
        : low;
  }
}
