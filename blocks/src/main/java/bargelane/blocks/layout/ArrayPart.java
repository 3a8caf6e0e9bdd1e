package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;

/**
 * Parts of software arrays, by their super blocks (md(4), "MD super block"; kernel, {@code
 * md_p.h}). Those of the forms 1.0 and 0.90 lie at the end, so that a part of a mirror begins like
 * the file system that it holds.
 */
final class ArrayPart {

  private static final int SECTOR = 512;
  private static final int MAGIC = 0xa92b4efc;

  /** Where a super block of the form 1 says that it lies, in sectors. */
  private static final int OWN_PLACE = 144;

  private static final int HEAD = OWN_PLACE + Long.BYTES;

  private ArrayPart() {}

  /** Whether {@code length} bytes at an offset of a disk are a part of an array. */
  static boolean begins(BlockDevice disk, long offset, long length) throws IOException {
    long sectors = Math.min(length, disk.size() - offset) / SECTOR;
    for (long at : new long[] {0, 8, (sectors - 16) & ~7L}) {
      ByteBuffer block = block(disk, offset, sectors, at);
      if (block.getInt(0) == MAGIC && block.getInt(4) == 1 && block.getLong(OWN_PLACE) == at) {
        return true;
      }
    }
    // The older form does not tell its place, so that of a last partition may be taken for its
    // disk's.
    ByteBuffer older = block(disk, offset, sectors, (sectors & ~127L) - 128);
    return older.getInt(0) == MAGIC && older.getInt(4) == 0 && (offset > 0 || !parted(disk));
  }

  private static boolean parted(BlockDevice disk) throws IOException {
    try {
      return !Partition.read(disk).isEmpty();
    } catch (LayoutException e) {
      return false;
    }
  }

  /** The head of what may be a super block; nothing but zeros where there can't be one. */
  private static ByteBuffer block(BlockDevice disk, long offset, long sectors, long at)
      throws IOException {
    ByteBuffer block = ByteBuffer.allocate(HEAD).order(ByteOrder.LITTLE_ENDIAN);
    if (at >= 0 && at < sectors) {
      disk.read(offset + at * SECTOR, block);
    }
    return block;
  }
}
