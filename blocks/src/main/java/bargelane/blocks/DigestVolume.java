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
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The digests of a disk's blocks of 64 KiB, on a device of their own that lies beside the disk's
 * replica and is frozen with it. The format is {@code bargelane/digests/3}, described in {@code
 * docs/formats/digests.md}: a tree of units of 4 KiB, in which whatever is zero stands for zeroes,
 * so that a blank device describes a blank disk.
 *
 * <p>Units are read when they are asked for and written when they have to make room: memory is 4
 * MiB at most, and one bit for every 8 MiB of the disk, whatever its size. Until {@link #finish}
 * the tree over what was set is not right; whoever dies before it leaves digests that are to be
 * trusted only where nothing may have been written.
 *
 * <p>May be used by several threads at once.
 */
public final class DigestVolume {

  /** Bytes of the disk that one digest stands for. */
  public static final int BLOCK = 64 * 1024;

  /** Bytes of the disk under one unit of block digests: 8 MiB. */
  public static final long SPAN = 128L * BLOCK;

  /** Bytes of the disk under one digest of the tree's top: 1 GiB. */
  public static final long GROUP = 128L * 128 * BLOCK;

  /** Bytes of the largest disk: 64 TiB. */
  public static final long LARGEST = 65_536 * GROUP;

  private static final int WIDTH = 32;
  private static final int UNIT = 4096;
  private static final int FAN = UNIT / WIDTH;
  private static final long TOP = UNIT;
  private static final long GROUPS = TOP + LARGEST / GROUP * WIDTH;
  private static final long GROUP_ROOM = (FAN + 1L) * UNIT;

  /** Units that are held in memory. */
  private static final int HELD = 1024;

  private static final byte[] ZEROES = new byte[BLOCK];
  private static final byte[] NONE = new byte[WIDTH];
  private static final Pattern HEAD =
      Pattern.compile("format: bargelane/digests/3\nsize: (\\d{1,15})\nroot: ([0-9a-f]{64})\n");

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
  private final Map<Long, Unit> held = new LinkedHashMap<>(64, 0.75f, true);

  /** Units of block digests that were set in, by number. */
  private final BitSet touched = new BitSet();

  private DigestVolume(BlockDevice device, long size) {
    this.device = device;
    this.size = size;
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
   * Opens what a device holds, to write all of it anew: nothing of it is looked at.
   *
   * @throws MalformedException if the device is too small
   */
  public static DigestVolume openUntrusted(BlockDevice device) throws MalformedException {
    if (device.size() < GROUPS) {
      throw new MalformedException("a device of " + device.size() + " bytes holds no digests");
    }
    return new DigestVolume(device, 0);
  }

  /**
   * Opens what a device holds.
   *
   * @throws MalformedException if it holds something else
   */
  public static DigestVolume open(BlockDevice device) throws IOException {
    DigestVolume blank = openUntrusted(device);
    ByteBuffer head = ByteBuffer.allocate(UNIT);
    device.read(0, head);
    if (Arrays.equals(head.array(), 0, UNIT, ZEROES, 0, UNIT)) {
      return blank;
    }
    return new DigestVolume(device, Long.parseLong(head(head.array()).group(1)));
  }

  private static Matcher head(byte[] bytes) throws MalformedException {
    Matcher head = HEAD.matcher(new String(bytes, StandardCharsets.US_ASCII));
    if (!head.lookingAt() || Long.parseLong(head.group(1)) > LARGEST) {
      throw new MalformedException("digests begin with 'format: bargelane/digests/3' and a size");
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
    ByteBuffer first = ByteBuffer.allocate(UNIT);
    device.read(0, first);
    String told = head(first.array()).group(2);
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

  /** What stands for the content of a block: SHA-256 (FIPS 180-4), or zeroes for zeroes. */
  public static byte[] digest(ByteBuffer block) {
    if (isZero(block)) {
      return NONE;
    }
    MessageDigest sha = sha();
    sha.update(block.duplicate());
    return sha.digest();
  }

  /** Whether a digest stands for zeroes. */
  public static boolean isZero(byte[] digest) {
    return Arrays.equals(digest, NONE);
  }

  private static boolean isZero(ByteBuffer block) {
    return block.mismatch(ByteBuffer.wrap(ZEROES, 0, Math.min(BLOCK, block.remaining()))) < 0;
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

  /** Whether all blocks of a group were zeroes when the digests were last finished. */
  public synchronized boolean groupIsZero(long group) throws IOException {
    int at = (int) (group % FAN) * WIDTH;
    return Arrays.equals(unit(TOP + group / FAN * UNIT).bytes, at, at + WIDTH, NONE, 0, WIDTH);
  }

  /** Whether all blocks of a span of 8 MiB were zeroes when the digests were last finished. */
  public synchronized boolean spanIsZero(long span) throws IOException {
    int at = (int) (span % FAN) * WIDTH;
    return Arrays.equals(unit(branch(span / FAN)).bytes, at, at + WIDTH, NONE, 0, WIDTH);
  }

  /** Whether the device holds nothing but zeroes for a group; it is so only if it can tell. */
  public synchronized boolean groupIsBlank(long group) throws IOException {
    for (int i = 0; i <= FAN; i++) {
      Unit unit = held.get(branch(group) + (long) i * UNIT);
      if (unit != null && unit.dirty) {
        return false;
      }
    }
    long end = Math.min(device.size(), branch(group) + GROUP_ROOM);
    return groupIsZero(group)
        && (branch(group) >= end
            || device.knows(Context.ALLOCATION)
                && device.status(Context.ALLOCATION, branch(group), end - branch(group)).stream()
                    .noneMatch(Extent::set));
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
    byte[] head =
        ("format: bargelane/digests/3\nsize: " + newSize + "\nroot: " + root + "\n")
            .getBytes(StandardCharsets.US_ASCII);
    device.write(0, ByteBuffer.wrap(Arrays.copyOf(head, UNIT)));
    device.flush();
    touched.clear();
    return root;
  }

  private static byte[] over(Unit unit) {
    return unit.isZero() ? NONE : sha().digest(unit.bytes);
  }

  /** SHA-256 over the disk's size, eight bytes big endian, and the digests of its groups. */
  private synchronized String topRoot(long ofSize) throws IOException {
    MessageDigest sha = sha();
    sha.update(ByteBuffer.allocate(8).putLong(ofSize).flip());
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
