package bargelane.blocks;

import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.BitSet;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The digests of a disk's blocks of 64 KiB, on a device of their own that lies beside the disk's
 * replica and is frozen with it. The format is {@code bargelane/digests/4}, described in {@code
 * docs/formats/digests.md}: a tree of units of 4 KiB, in which whatever is zero stands for zeroes,
 * so that a blank device describes a blank disk.
 *
 * <p>Units are read when they are asked for and written when they have to make room: memory is 4
 * MiB at most, and one bit for every 16 MiB of the disk, whatever its size. Until {@link #finish}
 * the tree over what was set is not right; whoever dies before it leaves digests that are to be
 * trusted only where nothing may have been written.
 *
 * <p>May be used by several threads at once.
 */
public final class DigestVolume {

  private static final int BLOCK = BlockDigest.BLOCK;
  private static final int WIDTH = BlockDigest.WIDTH;
  private static final int UNIT = 4096;
  private static final int FAN = UNIT / WIDTH;

  /** Bytes of the disk under one unit of block digests: 16 MiB. */
  public static final long SPAN = (long) FAN * BLOCK;

  /** Bytes of the disk under one digest of the tree's top: 4 GiB. */
  public static final long GROUP = FAN * SPAN;

  /** Bytes of the largest disk: 64 TiB. */
  public static final long LARGEST = 16_384 * GROUP;

  private static final long TOP = UNIT;
  private static final long GROUPS = TOP + LARGEST / GROUP * WIDTH;
  private static final long GROUP_ROOM = (FAN + 1L) * UNIT;

  /** Units that are held in memory. */
  private static final int HELD = 1024;

  private static final byte[] NONE = BlockDigest.NONE;
  private static final byte[] ZEROES = new byte[UNIT];
  private static final Pattern HEAD =
      Pattern.compile(
          "format: bargelane/digests/4\nsize: (\\d{1,15})\nkey: ([0-9a-f]{16})\nroot: ([0-9a-f]{64})\n");

  /** Hears now and then that the work goes on; throwing ends it. */
  @FunctionalInterface
  public interface Beat {
    void beat() throws IOException;
  }

  private static final class Unit {
    final byte[] bytes = new byte[UNIT];
    boolean dirty;

    boolean isZero() {
      return Arrays.equals(bytes, 0, UNIT, ZEROES, 0, UNIT);
    }
  }

  private final BlockDevice device;
  private final long size;
  private final BlockDigest by;

  /** Whether the device's head tells the key; a digest that is written before it has none. */
  private boolean keyTold;

  private final Map<Long, Unit> held = new LinkedHashMap<>(64, 0.75f, true);

  /** Units of block digests that were set in, by number. */
  private final BitSet touched = new BitSet();

  private DigestVolume(BlockDevice device, long size, BlockDigest by) {
    this.device = device;
    this.size = size;
    this.by = by;
  }

  /** Bytes that the digests of a disk of {@code size} bytes take; what is zero takes no room. */
  public static long bytesFor(long size) {
    if (size <= 0 || size > LARGEST) {
      throw new IllegalArgumentException(
          "a disk has 1 to " + LARGEST + " bytes (64 TiB), not " + size);
    }
    return GROUPS + (size + GROUP - 1) / GROUP * GROUP_ROOM;
  }

  /** What a device holds is not digests, or not whole ones. */
  public static final class MalformedException extends IOException {
    private static final long serialVersionUID = 1;

    MalformedException(String message) {
      super(message);
    }
  }

  /**
   * Opens what a device holds, to write all of it anew: nothing of it is believed. Its key is kept
   * if it has one.
   *
   * @throws MalformedException if the device is too small
   */
  public static DigestVolume openUntrusted(BlockDevice device) throws IOException {
    Matcher head = HEAD.matcher(firstUnit(device));
    return new DigestVolume(device, 0, head.lookingAt() ? by(head) : BlockDigest.fresh());
  }

  private static String firstUnit(BlockDevice device) throws IOException {
    if (device.size() < GROUPS) {
      throw new MalformedException("a device of " + device.size() + " bytes holds no digests");
    }
    ByteBuffer unit = ByteBuffer.allocate(UNIT);
    device.read(0, unit);
    return StandardCharsets.ISO_8859_1.decode(unit.flip()).toString();
  }

  private static BlockDigest by(Matcher head) {
    return new BlockDigest(Long.parseUnsignedLong(head.group(2), 16));
  }

  /**
   * Opens what a device holds.
   *
   * @throws MalformedException if it holds something else
   */
  public static DigestVolume open(BlockDevice device) throws IOException {
    String unit = firstUnit(device);
    if (unit.chars().allMatch(c -> c == 0)) {
      return new DigestVolume(device, 0, BlockDigest.fresh());
    }
    Matcher head = head(unit);
    DigestVolume known = new DigestVolume(device, Long.parseLong(head.group(1)), by(head));
    known.keyTold = true;
    return known;
  }

  private static Matcher head(String unit) throws MalformedException {
    Matcher head = HEAD.matcher(unit);
    if (!head.lookingAt() || Long.parseLong(head.group(1)) > LARGEST) {
      throw new MalformedException(
          "digests begin with 'format: bargelane/digests/4', a size and a key");
    }
    return head;
  }

  /**
   * The root digest of finished digests, as the device itself holds them: what its head tells, held
   * against the top of its tree.
   *
   * @param size bytes of the disk that they must be of
   * @throws MalformedException saying what is wrong with them
   */
  public static String root(BlockDevice device, long size) throws IOException {
    DigestVolume digests = open(device);
    if (digests.size != size) {
      throw new MalformedException(
          digests.size == 0
              ? "there are no finished digests"
              : "the digests are of a disk of " + digests.size + " bytes, not of " + size);
    }
    String told = head(firstUnit(device)).group(3);
    String found = digests.topRoot(size);
    if (!told.equals(found)) {
      throw new MalformedException(
          "the digests are not whole: their tree is not the one of their head");
    }
    return told;
  }

  /** Bytes of the disk that the digests were last finished for; 0 if they never were. */
  public long size() {
    return size;
  }

  /** How the digests of this disk's blocks are made; known for good once they were finished. */
  public BlockDigest by() {
    return by;
  }

  /** Whether {@code digest} is the block's. */
  public synchronized boolean holds(long block, byte[] digest) throws IOException {
    int at = (int) (block % FAN) * WIDTH;
    return Arrays.equals(unit(leaf(block / FAN)).bytes, at, at + WIDTH, digest, 0, WIDTH);
  }

  /** Whether the block is known as zeroes. */
  public boolean isZero(long block) throws IOException {
    return holds(block, NONE);
  }

  /**
   * Whether all blocks of a range were zeroes when the digests were last finished.
   *
   * @param start the start of a span
   * @param end the end of a span, or of the disk
   */
  public synchronized boolean isZero(long start, long end) throws IOException {
    for (long at = start; at < end; at += SPAN) {
      long group = at / GROUP;
      if (none(TOP + group / FAN * UNIT, (int) (group % FAN))) {
        at = (group + 1) * GROUP - SPAN;
      } else if (!none(branch(group), (int) (at / SPAN % FAN))) {
        return false;
      }
    }
    return true;
  }

  /**
   * Whether the device holds nothing but zeroes for a range, whose bounds are as above; it is so
   * only if it can tell.
   */
  public synchronized boolean isBlank(long start, long end) throws IOException {
    for (long at = start; at < end; at += SPAN) {
      Unit unit = held.get(leaf(at / SPAN));
      if (unit != null && unit.dirty) {
        return false;
      }
    }
    return isZero(start, end) && (start >= end || blankUnder(start, end));
  }

  private boolean blankUnder(long start, long end) throws IOException {
    for (long from = start; from < end; from = (from / GROUP + 1) * GROUP) {
      long first = leaf(from / SPAN);
      long last = leaf((Math.min(end, (from / GROUP + 1) * GROUP) - 1) / SPAN) + UNIT;
      long length = Math.min(device.size(), last) - first;
      if (length > 0
          && (!device.knows(Context.ALLOCATION)
              || device.status(Context.ALLOCATION, first, length).stream().anyMatch(Extent::set))) {
        return false;
      }
    }
    return true;
  }

  private boolean none(long offset, int slot) throws IOException {
    int at = slot * WIDTH;
    return Arrays.equals(unit(offset).bytes, at, at + WIDTH, NONE, 0, WIDTH);
  }

  /** Notes a block's digest. */
  public synchronized void set(long block, byte[] digest) throws IOException {
    touched.set((int) (block / FAN));
    put(leaf(block / FAN), (int) (block % FAN), digest);
  }

  /** Notes that a block is all zeroes. */
  public void setZero(long block) throws IOException {
    set(block, NONE);
  }

  private void put(long offset, int slot, byte[] digest) throws IOException {
    Unit unit = unit(offset);
    int at = slot * WIDTH;
    if (!Arrays.equals(unit.bytes, at, at + WIDTH, digest, 0, WIDTH)) {
      System.arraycopy(digest, 0, unit.bytes, at, WIDTH);
      unit.dirty = true;
    }
  }

  private static long leaf(long number) {
    return branch(number / FAN) + (1 + number % FAN) * UNIT;
  }

  private static long branch(long group) {
    return GROUPS + group * GROUP_ROOM;
  }

  private Unit unit(long offset) throws IOException {
    Unit unit = held.get(offset);
    if (unit != null) {
      return unit;
    }
    if (held.size() >= HELD) {
      Map.Entry<Long, Unit> oldest = held.entrySet().iterator().next();
      write(oldest.getKey(), oldest.getValue());
      held.remove(oldest.getKey());
    }
    unit = new Unit();
    // Behind the end there is nothing yet: the disk has grown since.
    if (offset + UNIT <= device.size()) {
      device.read(offset, ByteBuffer.wrap(unit.bytes));
    }
    held.put(offset, unit);
    return unit;
  }

  private void write(long offset, Unit unit) throws IOException {
    if (unit.dirty) {
      if (!keyTold) {
        writeHead(0, "0".repeat(64));
        keyTold = true;
      }
      if (unit.isZero()) {
        device.writeZeroes(offset, UNIT);
      } else {
        device.write(offset, ByteBuffer.wrap(unit.bytes));
      }
      unit.dirty = false;
    }
  }

  /**
   * Makes the tree over all that was set right, and has everything on stable storage.
   *
   * @param newSize bytes of the disk
   * @return the root digest, lower-case hex
   */
  public synchronized String finish(long newSize, Beat beat) throws IOException {
    BitSet groups = new BitSet();
    for (int n = touched.nextSetBit(0); n >= 0; n = touched.nextSetBit(n + 1)) {
      put(branch(n / FAN), n % FAN, over(unit(leaf(n))));
      groups.set(n / FAN);
      if (n % 1024 == 0) {
        beat.beat();
      }
    }
    for (int g = groups.nextSetBit(0); g >= 0; g = groups.nextSetBit(g + 1)) {
      put(TOP + (long) (g / FAN) * UNIT, g % FAN, over(unit(branch(g))));
    }
    String root = topRoot(newSize);
    for (Map.Entry<Long, Unit> e : held.entrySet()) {
      write(e.getKey(), e.getValue());
    }
    writeHead(newSize, root);
    device.flush();
    touched.clear();
    return root;
  }

  private void writeHead(long ofSize, String root) throws IOException {
    String head =
        String.format(
            Locale.ROOT,
            "format: bargelane/digests/4\nsize: %d\nkey: %016x\nroot: %s\n",
            ofSize,
            by.key(),
            root);
    byte[] unit = Arrays.copyOf(head.getBytes(StandardCharsets.US_ASCII), UNIT);
    device.write(0, ByteBuffer.wrap(unit));
  }

  private static byte[] over(Unit unit) {
    return unit.isZero() ? NONE : Arrays.copyOf(sha().digest(unit.bytes), WIDTH);
  }

  /** SHA-256 over the disk's size, the key, and the digests of its groups. */
  private synchronized String topRoot(long ofSize) throws IOException {
    MessageDigest sha = sha();
    sha.update(ByteBuffer.allocate(16).putLong(ofSize).putLong(by.key()).flip());
    long groups = (ofSize + GROUP - 1) / GROUP;
    for (long g = 0; g < groups; g += FAN) {
      sha.update(unit(TOP + g / FAN * UNIT).bytes, 0, (int) Math.min(FAN, groups - g) * WIDTH);
    }
    return HexFormat.of().formatHex(sha.digest());
  }

  /**
   * Copies digests onto a device that is blank, or holds a part of the same copy.
   *
   * @param to as large at least
   */
  public static void copy(BlockDevice from, BlockDevice to, Beat beat) throws IOException {
    ByteBuffer part = ByteBuffer.allocate(1 << 20);
    for (long window = 0; window < from.size(); window += GROUP) {
      long length = Math.min(GROUP, from.size() - window);
      beat.beat();
      for (Extent e :
          from.knows(Context.ALLOCATION)
              ? from.status(Context.ALLOCATION, window, length)
              : List.of(new Extent(window, length, true))) {
        long end = e.set() ? e.offset() + e.length() : 0;
        for (long at = e.offset(); at < end; at += part.capacity()) {
          part.clear().limit((int) Math.min(part.capacity(), end - at));
          from.read(at, part);
          to.write(at, part.flip());
          beat.beat();
        }
      }
    }
    to.flush();
  }

  private static MessageDigest sha() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }
}
