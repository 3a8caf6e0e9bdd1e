package bargelane.blocks.layout;

import bargelane.blocks.BlockDevice;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Reads a FAT12, FAT16 or FAT32 file system ("Microsoft Extensible Firmware Initiative FAT32 File
 * System Specification", version 1.03: boot sector, FAT, directory entries, long names). Names are
 * looked up without regard to case.
 */
public final class Fat implements FileTree {

  private static final int ENTRY = 32;
  private static final int MOST_DIRECTORY = 4 * 1024 * 1024;

  /** Clusters of a FAT that is read whole to count the free ones. */
  private static final long MOST_COUNTED = 4 * 1024 * 1024;

  /** Free clusters are looked for in pieces of this many entries. */
  private static final int PIECE = 64 * 1024;

  private final BlockDevice disk;
  private final long start;
  private final int sector;
  private final int cluster;
  private final long fat;
  private final long root;
  private final int rootBytes;
  private final long data;
  private final long clusters;
  private final int bits;
  private final long rootCluster;
  private final String uuid;

  private record Entry(String name, boolean directory, long cluster, long size) {}

  private Fat(BlockDevice disk, long start, ByteBuffer b) throws LayoutException {
    this.disk = disk;
    this.start = start;
    this.sector = b.getShort(11) & 0xffff;
    int perCluster = b.get(13) & 0xff;
    int reserved = b.getShort(14) & 0xffff;
    int fats = b.get(16) & 0xff;
    int rootEntries = b.getShort(17) & 0xffff;
    long sectors = b.getShort(19) & 0xffff;
    if (sectors == 0) {
      sectors = b.getInt(32) & 0xffffffffL;
    }
    long fatSectors = b.getShort(22) & 0xffff;
    boolean wide = fatSectors == 0;
    if (wide) {
      fatSectors = b.getInt(36) & 0xffffffffL;
    }
    if (sector < 512
        || sector > 4096
        || Integer.bitCount(sector) != 1
        || perCluster == 0
        || Integer.bitCount(perCluster) != 1
        || fats < 1
        || fats > 4
        || fatSectors == 0
        || start + sectors * sector > disk.size()) {
      throw new LayoutException("the FAT boot sector at " + start + " is damaged");
    }
    this.cluster = sector * perCluster;
    this.fat = start + (long) reserved * sector;
    this.root = fat + fats * fatSectors * sector;
    this.rootBytes = rootEntries * ENTRY;
    this.data = root + (long) (rootBytes + sector - 1) / sector * sector;
    this.clusters = (start + sectors * sector - data) / cluster;
    this.bits = clusters < 4085 ? 12 : clusters < 65525 ? 16 : 32;
    this.rootCluster = bits == 32 ? b.getInt(44) & 0xffffffffL : 0;
    if (clusters < 1 || (bits == 32) != wide || fatSectors * sector * 8 / bits < clusters) {
      throw new LayoutException("the FAT at " + start + " is damaged");
    }
    int serial = b.getInt(bits == 32 ? 67 : 39);
    this.uuid = String.format(Locale.ROOT, "%04X-%04X", serial >>> 16, serial & 0xffff);
  }

  /** Whether a boot sector may be that of a FAT file system. */
  static boolean begins(ByteBuffer sector) {
    return sector.getShort(510) == (short) 0xAA55
        && (text(sector, 54, 5).equals("FAT12")
            || text(sector, 54, 5).equals("FAT16")
            || text(sector, 82, 5).equals("FAT32"));
  }

  private static String text(ByteBuffer b, int at, int n) {
    byte[] raw = new byte[n];
    b.get(at, raw);
    return new String(raw, StandardCharsets.ISO_8859_1);
  }

  /**
   * Opens the file system that begins at byte {@code start} of a disk.
   *
   * @throws LayoutException if there is none
   */
  public static Fat open(BlockDevice disk, long start) throws IOException {
    ByteBuffer b = ByteBuffer.allocate(512).order(ByteOrder.LITTLE_ENDIAN);
    if (start < 0 || start > disk.size() - 512) {
      throw new LayoutException("offset " + start + " is outside the disk");
    }
    disk.read(start, b);
    if (!begins(b)) {
      throw new LayoutException("no FAT file system at offset " + start);
    }
    return new Fat(disk, start, b);
  }

  @Override
  public String kind() {
    return "vfat";
  }

  @Override
  public String uuid() {
    return uuid;
  }

  @Override
  public boolean clean() {
    return true;
  }

  @Override
  public Optional<Room> room() throws IOException {
    if (clusters > MOST_COUNTED) {
      return Optional.empty();
    }
    long free = 0;
    for (long from = 2; from < clusters + 2; from += PIECE) {
      long to = Math.min(clusters + 2, from + PIECE);
      long first = from * bits / 8;
      ByteBuffer piece =
          ByteBuffer.wrap(bytes(fat + first, (int) ((to * bits + 7) / 8 - first)))
              .order(ByteOrder.LITTLE_ENDIAN);
      for (long number = from; number < to; number++) {
        free += entry(piece, number, first) == 0 ? 1 : 0;
      }
    }
    return Optional.of(new Room(true, free * cluster, Long.MAX_VALUE));
  }

  @Override
  public Optional<Long> size(String path) throws IOException {
    return find(path).filter(e -> !e.directory).map(Entry::size);
  }

  @Override
  public byte[] read(String path, int most) throws IOException {
    Entry entry =
        find(path)
            .filter(e -> !e.directory)
            .orElseThrow(() -> new LayoutException("there is no file " + path));
    if (entry.size > most) {
      throw new LayoutException(path + " has " + entry.size + " bytes, more than " + most);
    }
    return chain(entry.cluster, (int) entry.size);
  }

  @Override
  public List<String> list(String path) throws IOException {
    Optional<Entry> found = find(path);
    return found.isPresent() && found.get().directory
        ? entries(found.get()).values().stream().map(Entry::name).toList()
        : List.of();
  }

  private Optional<Entry> find(String path) throws IOException {
    Entry at = new Entry("", true, rootCluster, 0);
    for (String part : path.split("/")) {
      if (!part.isEmpty() && !part.equals(".")) {
        Entry next = at.directory ? entries(at).get(part.toLowerCase(Locale.ROOT)) : null;
        if (next == null) {
          return Optional.empty();
        }
        at = next;
      }
    }
    return Optional.of(at);
  }

  private Map<String, Entry> entries(Entry directory) throws IOException {
    byte[] raw =
        directory.cluster == 0 && bits != 32
            ? bytes(root, rootBytes)
            : chain(directory.cluster, -1);
    ByteBuffer b = ByteBuffer.wrap(raw).order(ByteOrder.LITTLE_ENDIAN);
    Map<String, Entry> entries = new LinkedHashMap<>();
    StringBuilder longName = new StringBuilder();
    for (int at = 0; at + ENTRY <= raw.length && raw[at] != 0; at += ENTRY) {
      int attributes = raw[at + 11] & 0xff;
      if ((raw[at] & 0xff) == 0xE5) {
        longName.setLength(0);
      } else if (attributes == 0x0F) {
        longName.insert(0, part(b, at));
      } else {
        String name = longName.length() > 0 ? longName.toString() : shortName(raw, at);
        longName.setLength(0);
        if ((attributes & 0x08) == 0 && !name.equals(".") && !name.equals("..")) {
          long first = b.getShort(at + 26) & 0xffffL;
          if (bits == 32) {
            first |= (b.getShort(at + 20) & 0xffffL) << 16;
          }
          entries.put(
              name.toLowerCase(Locale.ROOT),
              new Entry(name, (attributes & 0x10) != 0, first, b.getInt(at + 28) & 0xffffffffL));
        }
      }
    }
    return entries;
  }

  private static String part(ByteBuffer b, int at) {
    StringBuilder part = new StringBuilder();
    for (int[] run : new int[][] {{1, 5}, {14, 6}, {28, 2}}) {
      for (int i = 0; i < run[1]; i++) {
        char c = b.getChar(at + run[0] + 2 * i);
        if (c == 0 || c == 0xffff) {
          return part.toString();
        }
        part.append(c);
      }
    }
    return part.toString();
  }

  private static String shortName(byte[] raw, int at) {
    String name = new String(raw, at, 8, StandardCharsets.ISO_8859_1).strip();
    String kind = new String(raw, at + 8, 3, StandardCharsets.ISO_8859_1).strip();
    return kind.isEmpty() ? name : name + "." + kind;
  }

  /** Bytes along a chain of clusters: {@code size} of them, or all of a directory. */
  private byte[] chain(long first, int size) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    Set<Long> seen = new HashSet<>();
    long at = first;
    List<long[]> runs = new ArrayList<>();
    while (at >= 2 && at < clusters + 2 && (size < 0 || (long) seen.size() * cluster < size)) {
      if (!seen.add(at)) {
        throw new LayoutException("a chain of clusters runs in a circle");
      }
      if (size < 0 && (long) seen.size() * cluster > MOST_DIRECTORY) {
        throw new LayoutException("a directory of that size is not credible");
      }
      runs.add(new long[] {data + (at - 2) * cluster});
      at = next(at);
    }
    for (long[] run : runs) {
      out.write(bytes(run[0], cluster));
    }
    if (size >= 0 && out.size() < size) {
      throw new LayoutException("a file's chain of clusters ends before the file does");
    }
    byte[] all = out.toByteArray();
    return size < 0 ? all : java.util.Arrays.copyOf(all, size);
  }

  private long next(long number) throws IOException {
    long first = number * bits / 8;
    ByteBuffer b = ByteBuffer.wrap(bytes(fat + first, bits == 32 ? 4 : 2));
    return entry(b.order(ByteOrder.LITTLE_ENDIAN), number, first);
  }

  /** An entry of the FAT, of which {@code piece} holds the bytes from {@code first} on. */
  private long entry(ByteBuffer piece, long number, long first) {
    int at = (int) (number * bits / 8 - first);
    return switch (bits) {
      case 12 -> (piece.getShort(at) & 0xffff) >> (number % 2 == 0 ? 0 : 4) & 0xfff;
      case 16 -> piece.getShort(at) & 0xffff;
      default -> piece.getInt(at) & 0x0fffffff;
    };
  }

  private byte[] bytes(long offset, int length) throws IOException {
    if (offset < start || length < 0 || offset > disk.size() - length) {
      throw new LayoutException("the FAT points to offset " + offset + ", outside the disk");
    }
    ByteBuffer b = ByteBuffer.allocate(length);
    disk.read(offset, b);
    return b.array();
  }
}
