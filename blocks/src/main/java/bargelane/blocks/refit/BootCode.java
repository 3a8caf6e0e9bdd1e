package bargelane.blocks.refit;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.refit.Guest.Loader;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.List;

/**
 * What BIOS firmware starts on a disk. It starts the code in the first sector (440 bytes before the
 * disk's signature, UEFI Specification 2.10, table 5-1 "Legacy MBR"). Of GRUB that code is the
 * first part only: it holds the address of the second, a sector's number (GRUB manual, "BIOS
 * installation"; its boot.h, {@code GRUB_BOOT_MACHINE_KERNEL_SECTOR}).
 *
 * @param grub whether it is GRUB's
 * @param trouble what is wrong with it; empty where nothing is, or the disk has no table
 */
record BootCode(boolean grub, String trouble) {

  private static final int SECTOR = 512;
  private static final int CODE = 440;
  private static final int SIGNATURE = 510;
  private static final int SECOND_PART = 0x5c;

  /** Where GRUB's second part finds what it goes on with, beside its configuration. */
  private static final String NEXT = "i386-pc/normal.mod";

  static BootCode of(BlockDevice disk) throws IOException {
    if (disk.size() < SECTOR) {
      return new BootCode(false, "");
    }
    ByteBuffer first = sector(disk, 0);
    if (first.getShort(SIGNATURE) != (short) 0xAA55) {
      return new BootCode(false, "");
    }
    if (empty(first, CODE)) {
      return new BootCode(
          false, "the first disk has no boot code: install the loader at the source");
    }
    boolean grub = new String(first.array(), StandardCharsets.ISO_8859_1).contains("GRUB ");
    return new BootCode(grub, grub ? second(disk, first) : "");
  }

  /** Why BIOS firmware would not start what these loaders' configurations say. */
  List<String> refused(List<Loader> loaders) throws IOException {
    if (!trouble.isEmpty()) {
      return List.of(trouble);
    }
    List<Loader> configured = loaders.stream().filter(l -> l.path().endsWith("/grub.cfg")).toList();
    if (!grub || configured.isEmpty()) {
      return List.of();
    }
    for (Loader l : configured) {
      if (l.place().tree().size(next(l)).orElse(0L) > 0) {
        return List.of();
      }
    }
    return List.of(
        "the loader's own " + next(configured.get(0)) + " is not there: install it at the source");
  }

  private static String next(Loader l) {
    return l.path().substring(0, l.path().lastIndexOf('/') + 1) + NEXT;
  }

  private static String second(BlockDevice disk, ByteBuffer first) throws IOException {
    long second = first.getLong(SECOND_PART);
    if (second <= 0
        || second > disk.size() / SECTOR - 1
        || empty(sector(disk, second * SECTOR), SECTOR)) {
      return "the first disk's boot code leads to sector "
          + Long.toUnsignedString(second)
          + ", where no loader is: install it at the source";
    }
    return "";
  }

  private static ByteBuffer sector(BlockDevice disk, long at) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate(SECTOR).order(ByteOrder.LITTLE_ENDIAN);
    disk.read(at, bytes);
    return bytes;
  }

  private static boolean empty(ByteBuffer bytes, int length) {
    for (int i = 0; i < length; i++) {
      if (bytes.get(i) != 0) {
        return false;
      }
    }
    return true;
  }
}
