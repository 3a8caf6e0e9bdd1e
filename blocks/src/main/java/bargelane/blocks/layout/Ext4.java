package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Reads a clean ext4 file system whose files are mapped by extents (kernel documentation, "ext4
 * Data Structures and Algorithms": super block, group descriptors, inode, extent tree, linear
 * directories). Nothing is written. Depth, entry counts and file sizes are bounded, so that a
 * corrupt file system ends in a {@link LayoutException} and never in a loop.
 */
public final class Ext4 {

  /** A run of a file's bytes on the disk: {@code disk} is an offset on the whole disk. */
  public record FileExtent(long file, long disk, long length) {}

  private static final int ROOT_INODE = 2;
  private static final int EXTENTS_FLAG = 0x80000;
  private static final int INCOMPAT_EXTENTS = 0x40;
  private static final int INCOMPAT_64BIT = 0x80;
  private static final int INCOMPAT_RECOVER = 0x4;
  private static final int MAX_DEPTH = 5;
  private static final long MAX_DIRECTORY = 16 * 1024 * 1024;

  private final BlockDevice disk;
  private final long start;
  private final int blockSize;
  private final int inodesPerGroup;
  private final int inodeSize;
  private final int descriptorSize;
  private final long firstDataBlock;
  private final long inodes;
  private final boolean clean;

  private record Inode(int mode, long size, ByteBuffer map) {
    boolean directory() {
      return (mode & 0xF000) == 0x4000;
    }

    boolean regular() {
      return (mode & 0xF000) == 0x8000;
    }
  }

  private Ext4(BlockDevice disk, long start, ByteBuffer sb) throws LayoutException {
    this.disk = disk;
    this.start = start;
    int logBlock = sb.getInt(24);
    int incompatible = sb.getInt(96);
    if (logBlock < 0 || logBlock > 6 || (incompatible & INCOMPAT_EXTENTS) == 0) {
      throw new LayoutException("the file system at " + start + " is not ext4 with extents");
    }
    this.blockSize = 1024 << logBlock;
    this.inodesPerGroup = sb.getInt(40);
    this.inodeSize = sb.getShort(88) & 0xffff;
    this.descriptorSize = (incompatible & INCOMPAT_64BIT) != 0 ? sb.getShort(254) & 0xffff : 32;
    this.firstDataBlock = sb.getInt(20) & 0xffffffffL;
    this.inodes = sb.getInt(0) & 0xffffffffL;
    this.clean = (sb.getShort(58) & 1) != 0 && (incompatible & INCOMPAT_RECOVER) == 0;
    if (inodesPerGroup <= 0 || inodeSize < 128 || inodeSize > blockSize || descriptorSize < 32) {
      throw new LayoutException("the super block at " + start + " is damaged");
    }
  }

  /**
   * Opens the file system that begins at byte {@code start} of a disk.
   *
   * @throws LayoutException if there is none
   */
  public static Ext4 open(BlockDevice disk, long start) throws IOException {
    ByteBuffer sb = ByteBuffer.allocate(1024).order(ByteOrder.LITTLE_ENDIAN);
    disk.read(start + 1024, sb);
    if (sb.getShort(56) != (short) 0xEF53) {
      throw new LayoutException("no ext file system at offset " + start);
    }
    return new Ext4(disk, start, sb);
  }

  /** The first Linux partition's file system. */
  public static Ext4 onFirstPartition(BlockDevice disk) throws IOException {
    for (Partition partition : Partition.read(disk)) {
      if (partition.type() == 0x83) {
        return open(disk, partition.offset());
      }
    }
    throw new LayoutException("the disk has no Linux partition");
  }

  /** Whether it was unmounted cleanly and its journal needs no replay. */
  public boolean clean() {
    return clean;
  }

  /**
   * Where a file's bytes lie on the disk.
   *
   * @throws LayoutException if the path is not a regular file
   */
  public List<FileExtent> extents(String path) throws IOException {
    Inode inode = lookup(path);
    if (!inode.regular()) {
      throw new LayoutException(path + " is not a regular file");
    }
    return extents(inode);
  }

  /** All regular files by path, with their sizes in bytes. */
  public Map<String, Long> files() throws IOException {
    Map<String, Long> files = new LinkedHashMap<>();
    walk("", inode(ROOT_INODE), files, 0);
    return files;
  }

  private void walk(String path, Inode directory, Map<String, Long> files, int depth)
      throws IOException {
    if (depth > 32 || files.size() > 1_000_000) {
      throw new LayoutException("the directory tree is deeper or larger than is credible");
    }
    for (Map.Entry<String, Long> e : entries(directory).entrySet()) {
      Inode inode = inode(e.getValue());
      if (inode.directory()) {
        walk(path + "/" + e.getKey(), inode, files, depth + 1);
      } else if (inode.regular()) {
        files.put(path + "/" + e.getKey(), inode.size);
      }
    }
  }

  private Inode lookup(String path) throws IOException {
    Inode at = inode(ROOT_INODE);
    for (String part : path.split("/")) {
      if (!part.isEmpty()) {
        Long number = at.directory() ? entries(at).get(part) : null;
        if (number == null) {
          throw new LayoutException("there is no " + path + " on the file system");
        }
        at = inode(number);
      }
    }
    return at;
  }

  private Map<String, Long> entries(Inode directory) throws IOException {
    Map<String, Long> entries = new LinkedHashMap<>();
    if (directory.size > MAX_DIRECTORY) {
      throw new LayoutException("a directory of " + directory.size + " bytes is not credible");
    }
    for (FileExtent extent : extents(directory)) {
      ByteBuffer bytes = read(extent.disk(), (int) extent.length());
      for (int at = 0; at + 8 <= bytes.limit(); ) {
        long inode = bytes.getInt(at) & 0xffffffffL;
        int length = bytes.getShort(at + 4) & 0xffff;
        int name = bytes.get(at + 6) & 0xff;
        if (length < 8 || at + length > bytes.limit() || name > length - 8) {
          throw new LayoutException("a directory entry is damaged");
        }
        if (inode != 0) {
          byte[] raw = new byte[name];
          bytes.get(at + 8, raw);
          String text = new String(raw, StandardCharsets.UTF_8);
          if (!text.equals(".") && !text.equals("..")) {
            entries.put(text, inode);
          }
        }
        at += length;
      }
    }
    return entries;
  }

  private Inode inode(long number) throws IOException {
    if (number < 1 || number > inodes) {
      throw new LayoutException("inode " + number + " does not exist");
    }
    long group = (number - 1) / inodesPerGroup;
    ByteBuffer descriptor =
        read(start + (firstDataBlock + 1) * blockSize + group * descriptorSize, descriptorSize);
    long table = descriptor.getInt(8) & 0xffffffffL;
    if (descriptorSize >= 64) {
      table |= (descriptor.getInt(40) & 0xffffffffL) << 32;
    }
    ByteBuffer raw =
        read(start + table * blockSize + (number - 1) % inodesPerGroup * inodeSize, inodeSize);
    if ((raw.getInt(32) & EXTENTS_FLAG) == 0) {
      return new Inode(raw.getShort(0) & 0xffff, 0, ByteBuffer.allocate(0));
    }
    long size = (raw.getInt(4) & 0xffffffffL) | (raw.getInt(108) & 0xffffffffL) << 32;
    return new Inode(
        raw.getShort(0) & 0xffff, size, raw.slice(40, 60).order(ByteOrder.LITTLE_ENDIAN));
  }

  private List<FileExtent> extents(Inode inode) throws IOException {
    List<FileExtent> extents = new ArrayList<>();
    if (inode.map.capacity() > 0) {
      tree(inode.map, 0, extents);
    }
    return extents;
  }

  private void tree(ByteBuffer node, int depth, List<FileExtent> extents) throws IOException {
    int entries = node.getShort(2) & 0xffff;
    int level = node.getShort(6) & 0xffff;
    if (node.getShort(0) != (short) 0xF30A
        || depth > MAX_DEPTH
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
        tree(read(start + child * blockSize, blockSize), depth + 1, extents);
      }
    }
  }

  private ByteBuffer read(long offset, int length) throws IOException {
    if (length < 0 || offset < 0 || offset > disk.size() - length) {
      throw new LayoutException(
          "the file system points to offset " + offset + ", outside the disk");
    }
    ByteBuffer bytes = ByteBuffer.allocate(length).order(ByteOrder.LITTLE_ENDIAN);
    disk.read(offset, bytes);
    return bytes.flip().order(ByteOrder.LITTLE_ENDIAN);
  }
}
