package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.List;

/**
 * One primary partition of a master boot record (UEFI Specification 2.10, section 5.2.1 "Legacy
 * Master Boot Record"): where it lies in bytes, its type number and whether it is marked bootable.
 */
public record Partition(int number, long offset, long length, int type, boolean bootable) {

  private static final int SECTOR = 512;

  /**
   * Reads the four primary entries.
   *
   * @throws LayoutException if there is no boot record or an entry lies outside the disk
   */
  public static List<Partition> read(BlockDevice disk) throws IOException {
    ByteBuffer sector = ByteBuffer.allocate(SECTOR).order(ByteOrder.LITTLE_ENDIAN);
    if (disk.size() < SECTOR) {
      throw new LayoutException("the disk is smaller than a boot record");
    }
    disk.read(0, sector);
    if (sector.getShort(510) != (short) 0xAA55) {
      throw new LayoutException(
          "the disk has no boot record: its first sector does not end in 55 AA");
    }
    List<Partition> found = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      int entry = 446 + 16 * i;
      int type = sector.get(entry + 4) & 0xff;
      long start = (sector.getInt(entry + 8) & 0xffffffffL) * SECTOR;
      long length = (sector.getInt(entry + 12) & 0xffffffffL) * SECTOR;
      if (type != 0 && length > 0) {
        if (start + length > disk.size()) {
          throw new LayoutException(
              "partition "
                  + (i + 1)
                  + " ends at "
                  + (start + length)
                  + ", after the disk's end at "
                  + disk.size());
        }
        found.add(new Partition(i + 1, start, length, type, sector.get(entry) == (byte) 0x80));
      }
    }
    return found;
  }
}
