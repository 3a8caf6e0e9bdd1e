package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.List;

/**
 * One partition of a disk: where it lies in bytes, its type number and whether it is marked
 * bootable. Tables read are the master boot record with its chain of extended ones (UEFI
 * Specification 2.10, section 5.2.1 "Legacy Master Boot Record") and the GUID partition table
 * (section 5.3), whose types are told by the number that Linux's would have in a master boot record
 * where there is one, 0xEF for the EFI system partition, and 0xFF for all others.
 */
public record Partition(int number, long offset, long length, int type, boolean bootable) {

  public static final int EFI = 0xEF;
  private static final int SECTOR = 512;
  private static final int GPT_PROTECTIVE = 0xEE;
  private static final int MOST = 128;

  /**
   * Reads a disk's partitions in the order of their numbers.
   *
   * @throws LayoutException if there is no boot record or an entry lies outside the disk
   */
  public static List<Partition> read(BlockDevice disk) throws IOException {
    List<Partition> found = new ArrayList<>();
    for (Partition p : entries(disk, 0, 0)) {
      if (p.type == GPT_PROTECTIVE) {
        return gpt(disk);
      }
      if (p.extended()) {
        logical(disk, p.offset, found);
      } else {
        found.add(p);
      }
    }
    found.sort(java.util.Comparator.comparingInt(Partition::number));
    return found;
  }

  private boolean extended() {
    return type == 0x05 || type == 0x0F || type == 0x85;
  }

  private static ByteBuffer sector(BlockDevice disk, long at) throws IOException {
    if (at < 0 || at > disk.size() - SECTOR) {
      throw new LayoutException("a partition table at " + at + " would lie outside the disk");
    }
    ByteBuffer sector = ByteBuffer.allocate(SECTOR).order(ByteOrder.LITTLE_ENDIAN);
    disk.read(at, sector);
    return sector;
  }

  /** The entries of the record at {@code at}, whose starts count from {@code base}. */
  private static List<Partition> entries(BlockDevice disk, long at, long base) throws IOException {
    ByteBuffer sector = sector(disk, at);
    if (sector.getShort(510) != (short) 0xAA55) {
      throw new LayoutException(
          "the disk has no boot record: the sector at " + at + " does not end in 55 AA");
    }
    List<Partition> found = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      int entry = 446 + 16 * i;
      int type = sector.get(entry + 4) & 0xff;
      long start = base + (sector.getInt(entry + 8) & 0xffffffffL) * SECTOR;
      long length = (sector.getInt(entry + 12) & 0xffffffffL) * SECTOR;
      if (type != 0 && length > 0) {
        Partition p = new Partition(i + 1, start, length, type, sector.get(entry) == (byte) 0x80);
        if (type != GPT_PROTECTIVE) {
          p.inside(disk);
        }
        found.add(p);
      }
    }
    return found;
  }

  private void inside(BlockDevice disk) throws LayoutException {
    if (offset < 0 || length <= 0 || offset > disk.size() - length) {
      throw new LayoutException(
          "partition "
              + number
              + " ends at "
              + (offset + length)
              + ", after the disk's end at "
              + disk.size());
    }
  }

  /** Follows the chain of extended records: each holds one partition and the way to the next. */
  private static void logical(BlockDevice disk, long first, List<Partition> found)
      throws IOException {
    long at = first;
    for (int number = 5; number < 5 + MOST; number++) {
      ByteBuffer sector = sector(disk, at);
      if (sector.getShort(510) != (short) 0xAA55) {
        return;
      }
      long length = (sector.getInt(446 + 12) & 0xffffffffL) * SECTOR;
      int type = sector.get(446 + 4) & 0xff;
      if (type != 0 && length > 0) {
        Partition p =
            new Partition(
                number, at + (sector.getInt(446 + 8) & 0xffffffffL) * SECTOR, length, type, false);
        p.inside(disk);
        found.add(p);
      }
      long next = (sector.getInt(462 + 8) & 0xffffffffL) * SECTOR;
      if (sector.get(462 + 4) == 0 || next == 0) {
        return;
      }
      at = first + next;
    }
    throw new LayoutException("the chain of extended partitions does not end");
  }

  private static List<Partition> gpt(BlockDevice disk) throws IOException {
    ByteBuffer header = sector(disk, SECTOR);
    long table = header.getLong(72);
    int count = header.getInt(80);
    int size = header.getInt(84);
    if (header.getLong(0) != 0x5452415020494645L) {
      throw new LayoutException("the disk announces a GUID partition table and has none");
    }
    if (count < 0 || count > 1024 || size < 128 || size > 4096 || table < 2) {
      throw new LayoutException("the GUID partition table is damaged");
    }
    ByteBuffer entries = ByteBuffer.allocate(count * size).order(ByteOrder.LITTLE_ENDIAN);
    if (table > (disk.size() - entries.capacity()) / SECTOR) {
      throw new LayoutException("the GUID partition table would lie outside the disk");
    }
    disk.read(table * SECTOR, entries);
    List<Partition> found = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      int at = i * size;
      long low = entries.getLong(at);
      long high = entries.getLong(at + 8);
      long first = entries.getLong(at + 32);
      long last = entries.getLong(at + 40);
      if (low != 0 || high != 0) {
        if (first < 0 || last < first || last >= disk.size() / SECTOR) {
          throw new LayoutException("partition " + (i + 1) + " lies outside the disk");
        }
        found.add(
            new Partition(
                i + 1,
                first * SECTOR,
                (last - first + 1) * SECTOR,
                type(low, high),
                (entries.getLong(at + 48) & 4) != 0));
      }
    }
    return found;
  }

  /** GUIDs as the two little-endian halves in which they lie in the table. */
  private static int type(long low, long high) {
    if (low == 0x11d2f81fc12a7328L && high == 0x3bc93ec9a0004bbaL) {
      return EFI;
    }
    if (low == 0x477284830fc63dafL && high == 0xe47d47d8693d798eL) {
      return 0x83;
    }
    if (low == 0x44c2f507e6d6d379L && high == 0x28f93d2a8f233ca2L) {
      return 0x8E;
    }
    return low == 0x43c4a4ab0657fd6dL && high == 0x4f4f4bc83309e584L ? 0x82 : 0xFF;
  }
}
