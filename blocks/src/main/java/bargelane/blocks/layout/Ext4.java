package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Reads an ext2, ext3 or ext4 file system (kernel documentation, "ext4 Data Structures and
 * Algorithms": super block, group descriptors, inode, extent tree, block map, linear directories).
 * A journal that was not replayed is respected: blocks that it holds committed are read from there.
 * Depth, entry counts and file sizes are bounded, so that a corrupt file system ends in a {@link
 * LayoutException} and never in a loop.
 */
public final class Ext4 implements FileTree {

  /** A run of a file's bytes on the disk: {@code disk} is an offset on the whole disk. */
  public record FileExtent(long file, long disk, long length) {}

  private static final int ROOT_INODE = 2;
  private static final int EXTENTS_FLAG = 0x80000;
  private static final int COMPAT_JOURNAL = 0x4;
  static final int INCOMPAT_EXTENTS = 0x40;
  static final int INCOMPAT_64BIT = 0x80;
  private static final int INCOMPAT_RECOVER = 0x4;

  /**
   * What does not change how files are found: filetype, recover, extents, 64bit, flex_bg, seeds.
   */
  private static final int INCOMPAT_READ =
      0x2 | INCOMPAT_RECOVER | INCOMPAT_EXTENTS | INCOMPAT_64BIT | 0x200 | 0x2000 | 0x4000;

  private static final int INLINE_DATA = 0x10000000;
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
  private final String kind;
  private final String uuid;
  private final ByteBuffer superBlock;
  private Map<Long, Journal.Copy> journal = Map.of();
  private long top = ROOT_INODE;

  private record Inode(int mode, long size, boolean extents, ByteBuffer map) {
    boolean link() {
      return (mode & 0xF000) == 0xA000;
    }

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
    this.superBlock = sb;
    int logBlock = sb.getInt(24);
    int incompatible = sb.getInt(96);
    if (logBlock < 0 || logBlock > 6) {
      throw new LayoutException("the super block at " + start + " is damaged");
    }
    if ((incompatible & ~INCOMPAT_READ) != 0) {
      throw new LayoutException(
          "the ext file system at "
              + start
              + " has features that are not read here: 0x"
              + Integer.toHexString(incompatible & ~INCOMPAT_READ));
    }
    boolean journaled = (sb.getInt(92) & COMPAT_JOURNAL) != 0;
    this.kind = (incompatible & INCOMPAT_EXTENTS) != 0 ? "ext4" : journaled ? "ext3" : "ext2";
    this.uuid = uuid(sb);
    this.blockSize = 1024 << logBlock;
    this.inodesPerGroup = sb.getInt(40);
    this.inodeSize = sb.getInt(76) == 0 ? 128 : sb.getShort(88) & 0xffff;
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
    Ext4 fs = new Ext4(disk, start, sb);
    int journalInode = sb.getInt(224);
    if ((sb.getInt(96) & INCOMPAT_RECOVER) != 0 && (sb.getInt(92) & COMPAT_JOURNAL) != 0) {
      if (journalInode == 0) {
        throw new LayoutException(
            "the file system at " + start + " needs its journal, which lies on another disk");
      }
      fs.journal = fs.committed(fs.inode(journalInode));
    }
    return fs;
  }

  /**
   * The files below a directory: paths, and links that begin with {@code /}, begin there.
   *
   * @throws LayoutException if it is not there
   */
  Ext4 below(String directory) throws IOException {
    Ext4 fs = new Ext4(disk, start, superBlock);
    fs.journal = journal;
    fs.top = top;
    for (String part : directory.split("/")) {
      if (!part.isEmpty()) {
        Long number = entries(inode(fs.top)).get(part);
        if (number == null || !inode(number).directory()) {
          throw new LayoutException("there is no directory " + directory);
        }
        fs.top = number;
      }
    }
    return fs;
  }

  private static String uuid(ByteBuffer sb) {
    String hex = HexFormat.of().formatHex(sb.array(), 104, 120);
    return hex.replaceFirst("(.{8})(.{4})(.{4})(.{4})(.{12})", "$1-$2-$3-$4-$5");
  }

  private Map<Long, Journal.Copy> committed(Inode inode) throws IOException {
    List<FileExtent> runs = extents(inode);
    return Journal.committed(
        new Journal.Blocks() {
          @Override
          public ByteBuffer read(long block) throws IOException {
            return raw(at(block), blockSize);
          }

          @Override
          public long at(long block) throws IOException {
            for (FileExtent e : runs) {
              if (block * blockSize >= e.file() && block * blockSize < e.file() + e.length()) {
                return e.disk() + block * blockSize - e.file();
              }
            }
            throw new LayoutException("the journal has a hole");
          }

          @Override
          public long count() {
            return inode.size / blockSize;
          }
        });
  }

  @Override
  public String kind() {
    return kind;
  }

  @Override
  public String uuid() {
    return uuid;
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

  @Override
  public boolean clean() {
    return clean;
  }

  @Override
  public Optional<Room> room() throws IOException {
    long groups = (inodes + inodesPerGroup - 1) / inodesPerGroup;
    return Optional.of(Ext4Room.of(superBlock, groups, this::descriptor));
  }

  private ByteBuffer descriptor(long group) throws IOException {
    return read(start + (firstDataBlock + 1) * blockSize + group * descriptorSize, descriptorSize);
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

  @Override
  public Optional<Long> size(String path) throws IOException {
    return find(path).filter(Inode::regular).map(Inode::size);
  }

  @Override
  public byte[] read(String path, int most) throws IOException {
    Inode inode = lookup(path);
    if (!inode.regular()) {
      throw new LayoutException(path + " is not a regular file");
    }
    return content(inode, path, most);
  }

  private byte[] content(Inode inode, String what, int most) throws IOException {
    if (inode.size < 0 || inode.size > most) {
      throw new LayoutException(what + " has " + inode.size + " bytes, more than " + most);
    }
    byte[] bytes = new byte[(int) inode.size];
    for (FileExtent e : extents(inode)) {
      if (e.file() < bytes.length) {
        int n = (int) Math.min(e.length(), bytes.length - e.file());
        read(e.disk(), n).get(bytes, (int) e.file(), n);
      }
    }
    return bytes;
  }

  @Override
  public List<String> list(String path) throws IOException {
    Optional<Inode> found = find(path);
    return found.isPresent() && found.get().directory()
        ? List.copyOf(entries(found.get()).keySet())
        : List.of();
  }

  /** All regular files by path, with their sizes in bytes. */
  public Map<String, Long> files() throws IOException {
    Map<String, Long> files = new LinkedHashMap<>();
    walk("", inode(top), files, 0);
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
    return find(path)
        .orElseThrow(() -> new LayoutException("there is no " + path + " on the file system"));
  }

  private Optional<Inode> find(String path) throws IOException {
    Deque<String> todo = new ArrayDeque<>(List.of(path.split("/")));
    Deque<Inode> way = new ArrayDeque<>(List.of(inode(top)));
    int links = 0;
    while (!todo.isEmpty()) {
      String part = todo.pop();
      if (part.isEmpty() || part.equals(".")) {
        continue;
      }
      if (part.equals("..")) {
        if (way.size() > 1) {
          way.pop();
        }
        continue;
      }
      Long number = way.peek().directory() ? entries(way.peek()).get(part) : null;
      if (number == null) {
        return Optional.empty();
      }
      Inode next = inode(number);
      if (next.link()) {
        if (++links > MOST_LINKS) {
          throw new LayoutException(path + " goes through too many symbolic links");
        }
        String target = target(next);
        if (target.startsWith("/")) {
          while (way.size() > 1) {
            way.pop();
          }
        }
        String[] parts = target.split("/");
        for (int i = parts.length - 1; i >= 0; i--) {
          todo.push(parts[i]);
        }
      } else {
        way.push(next);
      }
    }
    return Optional.of(way.peek());
  }

  private String target(Inode link) throws IOException {
    byte[] bytes;
    if (link.size < 60 && !link.extents) {
      bytes = new byte[(int) Math.max(0, link.size)];
      link.map.get(0, bytes);
    } else {
      bytes = content(link, "a symbolic link", 4096);
    }
    return new String(bytes, StandardCharsets.UTF_8);
  }

  private Map<String, Long> entries(Inode directory) throws IOException {
    Map<String, Long> entries = new LinkedHashMap<>();
    if (directory.size > MAX_DIRECTORY) {
      throw new LayoutException("a directory of " + directory.size + " bytes is not credible");
    }
    for (FileExtent extent : extents(directory)) {
      long left = Math.min(extent.length(), directory.size - extent.file());
      if (left <= 0) {
        continue;
      }
      ByteBuffer bytes = read(extent.disk(), (int) left);
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
    ByteBuffer descriptor = descriptor(group);
    long table = descriptor.getInt(8) & 0xffffffffL;
    if (descriptorSize >= 64) {
      table |= (descriptor.getInt(40) & 0xffffffffL) << 32;
    }
    ByteBuffer raw =
        read(start + table * blockSize + (number - 1) % inodesPerGroup * inodeSize, inodeSize);
    int flags = raw.getInt(32);
    if ((flags & INLINE_DATA) != 0) {
      throw new LayoutException("a file's data lies in its inode, which is not read here");
    }
    long size = (raw.getInt(4) & 0xffffffffL) | (raw.getInt(108) & 0xffffffffL) << 32;
    return new Inode(
        raw.getShort(0) & 0xffff,
        size,
        (flags & EXTENTS_FLAG) != 0,
        raw.slice(40, 60).order(ByteOrder.LITTLE_ENDIAN));
  }

  private List<FileExtent> extents(Inode inode) throws IOException {
    Ext4Map map = new Ext4Map(this::read, start, blockSize);
    return inode.extents
        ? map.tree(inode.map)
        : inode.regular() || inode.directory() || inode.link() && inode.size >= 60
            ? map.blocks(inode.map, inode.size)
            : List.of();
  }

  /** Bytes of the disk as the file system means them: with what the journal holds. */
  private ByteBuffer read(long offset, int length) throws IOException {
    ByteBuffer bytes = raw(offset, length);
    if (!journal.isEmpty()) {
      for (long block = (offset - start) / blockSize;
          start + block * blockSize < offset + length;
          block++) {
        Journal.Copy copy = journal.get(block);
        if (copy != null) {
          ByteBuffer held = raw(copy.disk(), blockSize);
          if (copy.escaped()) {
            held.order(ByteOrder.BIG_ENDIAN).putInt(0, Journal.MAGIC);
          }
          long at = start + block * blockSize;
          int from = (int) Math.max(0, offset - at);
          int to = (int) Math.min(blockSize, offset + length - at);
          bytes.put((int) (at + from - offset), held, from, to - from);
        }
      }
    }
    return bytes;
  }

  private ByteBuffer raw(long offset, int length) throws IOException {
    if (length < 0 || offset < 0 || offset > disk.size() - length) {
      throw new LayoutException(
          "the file system points to offset " + offset + ", outside the disk");
    }
    ByteBuffer bytes = ByteBuffer.allocate(length).order(ByteOrder.LITTLE_ENDIAN);
    disk.read(offset, bytes);
    return bytes.flip().order(ByteOrder.LITTLE_ENDIAN);
  }
}
