package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * What lies in a disk's partitions: file systems that are read here, and the names of those that
 * are not.
 *
 * @param partition 0 where the whole disk is one file system
 * @param kind as {@code fstab} would name it; {@code lvm2} for a physical volume, {@code raid} for
 *     a part of an array, {@code luks} and {@code bitlocker} for encrypted ones, {@code damaged}
 *     where it can't be told apart, empty if it is not known
 * @param tree its files, where they can be read
 * @param trouble why not, where it should be
 * @param uuid the identity as {@code fstab} and {@code crypttab} write it after {@code UUID=};
 *     empty if there is none, or none that is known here
 * @param within how the file system is reached from its partition, as {@link CopiedFiles} says;
 *     empty where it begins with it
 */
public record Contents(
    int partition,
    long offset,
    int type,
    String kind,
    Optional<FileTree> tree,
    String trouble,
    String uuid,
    String within) {

  private Contents(int partition, long offset, int type, FileTree tree) {
    this(partition, offset, type, tree.kind(), Optional.of(tree), "", tree.uuid(), "");
  }

  /** Kinds that the kernel's own drivers read in a yard, where ours do not. */
  private static final Set<String> COPIED = Set.of("xfs", "btrfs", "lvm2", "raid", "damaged");

  /** Whether there may be files that only the kernel's own drivers read. */
  public boolean hidden() {
    return tree.isEmpty() && COPIED.contains(kind);
  }

  /**
   * A mark by which a format is known: some bytes at an offset.
   *
   * @param uuid where its identity begins; 0 for none
   */
  private record Mark(String kind, long offset, byte[] bytes, long uuid) {
    Mark(String kind, long offset, String text, long uuid) {
      this(kind, offset, text.getBytes(StandardCharsets.ISO_8859_1), uuid);
    }
  }

  private static final List<Mark> MARKS =
      List.of(
          new Mark("lvm2", 512, "LABELONE", 0),
          new Mark("luks", 0, "LUKS\u00ba\u00be", 168),
          new Mark("xfs", 0, "XFSB", 32),
          new Mark("btrfs", 65536 + 64, "_BHRfS_M", 65536 + 32),
          new Mark("bitlocker", 3, "-FVE-FS-", 0),
          new Mark("ntfs", 3, "NTFS    ", 0),
          new Mark("swap", 4096 - 10, "SWAPSPACE2", 1024 + 12));

  /**
   * Looks at every partition of a disk.
   *
   * @throws LayoutException if the partition table is damaged
   */
  public static List<Contents> of(BlockDevice disk) throws IOException {
    List<Contents> found = new ArrayList<>();
    Contents whole = at(disk, 0, 0, disk.size(), 0);
    if (!whole.kind.isEmpty() && !whole.kind.equals("vfat")) {
      return List.of(whole);
    }
    for (Partition p : Partition.read(disk)) {
      found.add(at(disk, p.number(), p.offset(), p.length(), p.type()));
    }
    return found;
  }

  private static Contents at(BlockDevice disk, int partition, long offset, long length, int type)
      throws IOException {
    try {
      // Before what it may hold: a change to one half of a mirror would be lost, or worse.
      if (ArrayPart.begins(disk, offset, length)) {
        return new Contents(
            partition,
            offset,
            type,
            "raid",
            Optional.empty(),
            "a part of an array is not read here",
            "",
            "");
      }
      if (magic(disk, offset + 1024 + 56, 2).equals("\u0053\u00ef")) {
        FileTree tree = Ext4.open(disk, offset);
        return new Contents(partition, offset, type, tree);
      }
      ByteBuffer sector = ByteBuffer.allocate(512).order(ByteOrder.LITTLE_ENDIAN);
      if (offset <= disk.size() - 512) {
        disk.read(offset, sector);
        if (Fat.begins(sector)) {
          FileTree tree = Fat.open(disk, offset);
          return new Contents(partition, offset, type, tree);
        }
      }
    } catch (LayoutException e) {
      return new Contents(
          partition, offset, type, "damaged", Optional.empty(), e.getMessage(), "", "");
    }
    for (Mark mark : MARKS) {
      if (magic(disk, offset + mark.offset, mark.bytes.length)
          .equals(new String(mark.bytes, StandardCharsets.ISO_8859_1))) {
        return new Contents(
            partition,
            offset,
            type,
            mark.kind,
            Optional.empty(),
            mark.kind + " is not read here",
            identity(disk, offset, mark),
            "");
      }
    }
    return new Contents(partition, offset, type, "", Optional.empty(), "", "", "");
  }

  /** The identity in a header: sixteen bytes, or with LUKS their text. */
  private static String identity(BlockDevice disk, long offset, Mark mark) throws IOException {
    if (mark.uuid == 0) {
      return "";
    }
    if (mark.kind.equals("luks")) {
      return magic(disk, offset + mark.uuid, 36);
    }
    return HexFormat.of()
        .formatHex(magic(disk, offset + mark.uuid, 16).getBytes(StandardCharsets.ISO_8859_1))
        .replaceFirst("(.{8})(.{4})(.{4})(.{4})(.{12})", "$1-$2-$3-$4-$5");
  }

  private static String magic(BlockDevice disk, long at, int length) throws IOException {
    if (at > disk.size() - length) {
      return "";
    }
    ByteBuffer bytes = ByteBuffer.allocate(length);
    disk.read(at, bytes);
    return new String(bytes.array(), StandardCharsets.ISO_8859_1);
  }
}
