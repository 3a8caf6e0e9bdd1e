package bargelane.blocks;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.security.SecureRandom;
import java.util.Arrays;
import net.openhft.hashing.LongTupleHashFunction;

/**
 * What stands for the content of a block of 64 KiB: XXH3 with 128 bits, keyed by a seed (xxHash
 * specification, doc/xxhash_spec.md, "XXH3 Algorithm Overview"), and zeroes for zeroes.
 *
 * <p>Fast, and no proof: whoever knows the key can make two blocks with one digest. The key is
 * drawn at random for each disk and never told to a guest. What that risks is in docs/decisions.
 */
public final class BlockDigest {

  /** Bytes of the disk that one digest stands for. */
  public static final int BLOCK = 64 * 1024;

  /** Bytes of a digest. */
  public static final int WIDTH = 16;

  static final byte[] NONE = new byte[WIDTH];
  private static final byte[] ZEROES = new byte[BLOCK];
  private static final SecureRandom RANDOM = new SecureRandom();

  /** Small enough for a processor's own cache, which the digest then reads from. */
  private static final ThreadLocal<ByteBuffer> PART =
      ThreadLocal.withInitial(() -> ByteBuffer.allocateDirect(4 * BLOCK));

  private final long key;
  private final LongTupleHashFunction hash;

  public BlockDigest(long key) {
    this.key = key;
    this.hash = LongTupleHashFunction.xx128(key);
  }

  /** With a key that nobody knows. */
  public static BlockDigest fresh() {
    return new BlockDigest(RANDOM.nextLong());
  }

  public long key() {
    return key;
  }

  /** Blocks that {@code bytes} touch, counted from the start of one. */
  public static int blocks(long bytes) {
    return Math.toIntExact((bytes + BLOCK - 1) / BLOCK);
  }

  /** The digests of the blocks in a buffer, which begins with one; the last may be shorter. */
  public byte[][] of(ByteBuffer blocks) {
    byte[][] digests = new byte[blocks(blocks.remaining())][];
    byte[] block = new byte[Math.min(BLOCK, blocks.remaining())];
    for (int i = 0; i < digests.length; i++) {
      int at = blocks.position() + i * BLOCK;
      int n = Math.min(BLOCK, blocks.limit() - at);
      blocks.get(at, block, 0, n);
      digests[i] = of(block, n);
    }
    return digests;
  }

  private byte[] of(byte[] block, int n) {
    if (Arrays.equals(block, 0, n, ZEROES, 0, n)) {
      return NONE;
    }
    long[] words = new long[2];
    hash.hashBytes(block, 0, n, words);
    byte[] digest = new byte[WIDTH];
    ByteBuffer.wrap(digest).putLong(words[1]).putLong(words[0]);
    return digest;
  }

  /** The digests of the blocks of a range, read from a device. */
  public byte[][] of(BlockDevice device, long offset, long length) throws IOException {
    byte[][] digests = new byte[blocks(length)][];
    ByteBuffer part = PART.get();
    for (long at = 0; at < length; at += part.capacity()) {
      part.clear().limit((int) Math.min(part.capacity(), length - at));
      device.read(offset + at, part);
      byte[][] some = of(part.flip());
      System.arraycopy(some, 0, digests, (int) (at / BLOCK), some.length);
    }
    return digests;
  }

  /** Whether a digest stands for zeroes. */
  public static boolean isZero(byte[] digest) {
    return Arrays.equals(digest, NONE);
  }
}
