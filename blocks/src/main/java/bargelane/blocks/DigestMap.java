package bargelane.blocks;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.HexFormat;

/**
 * SHA-256 of every 64 KiB block of a disk (32 bytes a block; the last block may be short). Starts
 * as the map of a disk of zeroes. Distinct blocks may be set from different threads.
 *
 * <p>The stored form is described in {@code docs/formats/digests.md}: a text line {@code format:
 * bargelane/digests/1}, a line {@code size: N}, an empty line, then the digests.
 */
public final class DigestMap {

  /** Bytes a block. */
  public static final int BLOCK = 64 * 1024;

  private static final int WIDTH = 32;
  private static final byte[] ZERO_BLOCK = digest(ByteBuffer.allocate(BLOCK));
  private static final String HEAD = "format: bargelane/digests/1\nsize: ";

  private final long size;
  private final byte[] digests;

  /** The map of a disk of {@code size} zero bytes. */
  public DigestMap(long size) {
    if (size <= 0 || size / BLOCK > Integer.MAX_VALUE / WIDTH - 1) {
      throw new IllegalArgumentException("no digest map for a disk of " + size + " bytes");
    }
    this.size = size;
    this.digests = new byte[blocks() * WIDTH];
    for (int block = 0; block < blocks(); block++) {
      setZero(block);
    }
  }

  private DigestMap(long size, byte[] digests) {
    this.size = size;
    this.digests = digests;
  }

  public long size() {
    return size;
  }

  /** Number of blocks. */
  public int blocks() {
    return (int) ((size + BLOCK - 1) / BLOCK);
  }

  /** Length of block {@code block} in bytes. */
  public int blockLength(int block) {
    return (int) Math.min(BLOCK, size - (long) block * BLOCK);
  }

  /** Records that a block is all zeroes. */
  public void setZero(int block) {
    int length = blockLength(block);
    set(block, length == BLOCK ? ZERO_BLOCK : digest(ByteBuffer.allocate(length)));
  }

  /** Records a block's digest. */
  public void set(int block, byte[] digest) {
    System.arraycopy(digest, 0, digests, block * WIDTH, WIDTH);
  }

  /** Whether the map holds {@code digest} for the block. */
  public boolean holds(int block, byte[] digest) {
    return Arrays.equals(digests, block * WIDTH, block * WIDTH + WIDTH, digest, 0, WIDTH);
  }

  /** Whether the map says that the block is all zeroes. */
  public boolean isZero(int block) {
    int length = blockLength(block);
    return holds(block, length == BLOCK ? ZERO_BLOCK : digest(ByteBuffer.allocate(length)));
  }

  /** One digest for the whole disk, as hex: SHA-256 over all block digests in order. */
  public String root() {
    return HexFormat.of().formatHex(digest(ByteBuffer.wrap(digests)));
  }

  /**
   * The map of the same disk after it grew: new blocks are zero. A last block that was not whole
   * has no digest that could be known, and matches nothing.
   */
  public DigestMap grown(long newSize) {
    DigestMap map = new DigestMap(newSize);
    System.arraycopy(digests, 0, map.digests, 0, digests.length);
    if (size % BLOCK != 0 && newSize > size) {
      map.set(blocks() - 1, new byte[WIDTH]);
    }
    return map;
  }

  /** A copy that can be changed apart from this one. */
  public DigestMap copy() {
    return new DigestMap(size, digests.clone());
  }

  /** The stored form. */
  public byte[] bytes() {
    byte[] head = (HEAD + size + "\n\n").getBytes(StandardCharsets.US_ASCII);
    byte[] all = Arrays.copyOf(head, head.length + digests.length);
    System.arraycopy(digests, 0, all, head.length, digests.length);
    return all;
  }

  /**
   * Reads the stored form.
   *
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static DigestMap parse(byte[] bytes) {
    String head = new String(bytes, 0, Math.min(bytes.length, 80), StandardCharsets.US_ASCII);
    int end = head.indexOf("\n\n");
    if (!head.startsWith(HEAD) || end < 0) {
      throw new IllegalArgumentException(
          "a digest map must begin with 'format: bargelane/digests/1'");
    }
    long size = Long.parseLong(head.substring(HEAD.length(), end));
    DigestMap map = new DigestMap(size);
    if (bytes.length - end - 2 != map.digests.length) {
      throw new IllegalArgumentException(
          "a digest map of "
              + size
              + " bytes holds "
              + map.digests.length
              + " digest bytes, not "
              + (bytes.length - end - 2));
    }
    System.arraycopy(bytes, end + 2, map.digests, 0, map.digests.length);
    return map;
  }

  /** SHA-256 (FIPS 180-4) of what remains in the buffer. */
  public static byte[] digest(ByteBuffer bytes) {
    try {
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      sha.update(bytes);
      return sha.digest();
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }
}
