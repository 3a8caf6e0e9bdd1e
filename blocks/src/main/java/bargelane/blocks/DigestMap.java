package bargelane.blocks;

import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * SHA-256 of every 64 KiB block of a disk that holds data; the last block may be short. Starts as
 * the map of a disk of zeroes. Blocks may be set and looked up from different threads.
 *
 * <p>Memory, stored form and time grow with the data on the disk, 34 bytes a block that holds any,
 * and hardly with its size: 4 bytes a page of 256 MiB.
 *
 * <p>The stored form is described in {@code docs/formats/digests.md}: {@code bargelane/digests/2},
 * and what the version before it wrote is read.
 */
public final class DigestMap {

  /** Bytes a block. */
  public static final int BLOCK = 64 * 1024;

  /** Blocks a page. */
  static final int PAGE = 4096;

  private static final int WIDTH = 32;
  private static final byte[] ZERO_BLOCK = digest(ByteBuffer.allocate(BLOCK));
  private static final byte[] ZERO_PAGE = Page.root(null, PAGE, ZERO_BLOCK);
  private static final Pattern HEAD =
      Pattern.compile(
          "format: bargelane/digests/([12])\nsize: (\\d{1,19})\n(?:pages: (\\d{1,9})\n)?\n");

  /** The blocks of a page that are not all zeroes, in order, with their digests. */
  private static final class Page {
    private short[] at = new short[8];
    private byte[] digests = new byte[8 * WIDTH];
    private int count;

    private int find(int block) {
      return Arrays.binarySearch(at, 0, count, (short) block);
    }

    private void put(int block, byte[] digest, int from) {
      int i = find(block);
      if (i < 0) {
        i = -i - 1;
        if (count == at.length) {
          at = Arrays.copyOf(at, Math.min(PAGE, count * 2));
          digests = Arrays.copyOf(digests, at.length * WIDTH);
        }
        System.arraycopy(at, i, at, i + 1, count - i);
        System.arraycopy(digests, i * WIDTH, digests, (i + 1) * WIDTH, (count - i) * WIDTH);
        at[i] = (short) block;
        count++;
      }
      System.arraycopy(digest, from, digests, i * WIDTH, WIDTH);
    }

    private void remove(int block) {
      int i = find(block);
      if (i >= 0) {
        count--;
        System.arraycopy(at, i + 1, at, i, count - i);
        System.arraycopy(digests, (i + 1) * WIDTH, digests, i * WIDTH, (count - i) * WIDTH);
      }
    }

    private Page copy() {
      Page copy = new Page();
      copy.at = at.clone();
      copy.digests = digests.clone();
      copy.count = count;
      return copy;
    }

    /** SHA-256 over the digests of a page's blocks in order, those of zeroes included. */
    private static byte[] root(Page page, int blocks, byte[] zeroOfLast) {
      MessageDigest sha = sha();
      int next = 0;
      for (int block = 0; block < blocks; block++) {
        if (page != null && next < page.count && page.at[next] == block) {
          sha.update(page.digests, next++ * WIDTH, WIDTH);
        } else {
          sha.update(block == blocks - 1 ? zeroOfLast : ZERO_BLOCK);
        }
      }
      return sha.digest();
    }
  }

  private final long size;
  private final Page[] pages;

  /** Of the last block, should it be all zeroes. */
  private final byte[] zeroOfLast;

  /** The map of a disk of {@code size} zero bytes. */
  public DigestMap(long size) {
    if (size <= 0 || size > (long) BLOCK * Integer.MAX_VALUE) {
      throw new IllegalArgumentException("no digest map for a disk of " + size + " bytes");
    }
    this.size = size;
    this.pages = new Page[(blocks() + PAGE - 1) / PAGE];
    int last = blockLength(blocks() - 1);
    this.zeroOfLast = last == BLOCK ? ZERO_BLOCK : digest(ByteBuffer.allocate(last));
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

  private byte[] zero(int block) {
    return block == blocks() - 1 ? zeroOfLast : ZERO_BLOCK;
  }

  /** Records that a block is all zeroes. */
  public synchronized void setZero(int block) {
    Page page = pages[block / PAGE];
    if (page != null) {
      page.remove(block % PAGE);
      if (page.count == 0) {
        pages[block / PAGE] = null;
      }
    }
  }

  /** Records a block's digest. */
  public void set(int block, byte[] digest) {
    set(block, digest, 0);
  }

  private synchronized void set(int block, byte[] digests, int from) {
    if (Arrays.equals(digests, from, from + WIDTH, zero(block), 0, WIDTH)) {
      setZero(block);
      return;
    }
    Page page = pages[block / PAGE];
    if (page == null) {
      page = new Page();
      pages[block / PAGE] = page;
    }
    page.put(block % PAGE, digests, from);
  }

  /** Whether the map holds {@code digest} for the block. */
  public synchronized boolean holds(int block, byte[] digest) {
    Page page = pages[block / PAGE];
    int i = page == null ? -1 : page.find(block % PAGE);
    return i < 0
        ? Arrays.equals(digest, zero(block))
        : Arrays.equals(page.digests, i * WIDTH, (i + 1) * WIDTH, digest, 0, WIDTH);
  }

  /** Whether the map says that the block is all zeroes. */
  public synchronized boolean isZero(int block) {
    Page page = pages[block / PAGE];
    return page == null || page.find(block % PAGE) < 0;
  }

  /**
   * One digest for the whole disk, as hex: SHA-256 over the digests of all pages in order, each of
   * which is SHA-256 over the digests of its blocks.
   */
  public synchronized String root() {
    MessageDigest sha = sha();
    for (int i = 0; i < pages.length; i++) {
      int blocks = blocksOf(i);
      boolean usual =
          pages[i] == null && blocks == PAGE && (i < pages.length - 1 || zeroOfLast == ZERO_BLOCK);
      sha.update(
          usual
              ? ZERO_PAGE
              : Page.root(pages[i], blocks, i == pages.length - 1 ? zeroOfLast : ZERO_BLOCK));
    }
    return HexFormat.of().formatHex(sha.digest());
  }

  private int blocksOf(int page) {
    return Math.min(PAGE, blocks() - page * PAGE);
  }

  /**
   * The map of the same disk after it grew: new blocks are zero. A last block that was not whole
   * has no digest that could be known, and matches nothing.
   */
  public synchronized DigestMap grown(long newSize) {
    DigestMap map = new DigestMap(newSize);
    copyTo(map);
    if (size % BLOCK != 0 && newSize > size) {
      map.set(blocks() - 1, new byte[WIDTH]);
    }
    return map;
  }

  /** A copy that can be changed apart from this one. */
  public synchronized DigestMap copy() {
    DigestMap map = new DigestMap(size);
    copyTo(map);
    return map;
  }

  private void copyTo(DigestMap map) {
    for (int i = 0; i < pages.length; i++) {
      map.pages[i] = pages[i] == null ? null : pages[i].copy();
    }
  }

  /** The stored form. */
  public synchronized byte[] bytes() {
    int held = 0;
    for (Page page : pages) {
      held += page == null ? 0 : 1;
    }
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    try (DataOutputStream out = new DataOutputStream(all)) {
      out.write(
          ("format: bargelane/digests/2\nsize: " + size + "\npages: " + held + "\n\n")
              .getBytes(StandardCharsets.US_ASCII));
      for (int i = 0; i < pages.length; i++) {
        Page page = pages[i];
        if (page != null) {
          out.writeInt(i);
          out.writeShort(page.count);
          // A page that holds data throughout needs no list of where.
          for (int n = 0; n < page.count && page.count < blocksOf(i); n++) {
            out.writeShort(page.at[n]);
          }
          out.write(page.digests, 0, page.count * WIDTH);
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return all.toByteArray();
  }

  /**
   * Reads the stored form, of this version or the one before.
   *
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static DigestMap parse(byte[] bytes) {
    Matcher head =
        HEAD.matcher(new String(bytes, 0, Math.min(bytes.length, 120), StandardCharsets.US_ASCII));
    if (!head.lookingAt() || head.group(1).equals("2") != (head.group(3) != null)) {
      throw new IllegalArgumentException(
          "a digest map must begin with 'format: bargelane/digests/2'");
    }
    DigestMap map;
    try {
      map = new DigestMap(Long.parseLong(head.group(2)));
    } catch (NumberFormatException e) {
      throw new IllegalArgumentException("no digest map for " + head.group(2) + " bytes", e);
    }
    ByteBuffer rest = ByteBuffer.wrap(bytes, head.end(), bytes.length - head.end());
    if (head.group(3) == null) {
      map.readAll(rest);
    } else {
      map.readPages(rest, Integer.parseInt(head.group(3)));
    }
    return map;
  }

  /** Version 1: the digests of all blocks in order. */
  private void readAll(ByteBuffer from) {
    if (from.remaining() != (long) blocks() * WIDTH) {
      throw new IllegalArgumentException(
          "a digest map of "
              + size
              + " bytes holds "
              + (long) blocks() * WIDTH
              + " digest bytes, not "
              + from.remaining());
    }
    for (int block = 0; block < blocks(); block++) {
      set(block, from.array(), from.position() + block * WIDTH);
    }
  }

  private void readPages(ByteBuffer from, int count) {
    int before = -1;
    for (int n = 0; n < count; n++) {
      int number = from.remaining() < 6 ? -1 : from.getInt();
      int held = number < 0 ? 0 : from.getShort();
      if (number <= before || number >= pages.length || held < 1 || held > blocksOf(number)) {
        throw new IllegalArgumentException(
            "page " + n + " of a digest map is cut, out of order or not of this disk");
      }
      before = number;
      boolean everywhere = held == blocksOf(number);
      if (from.remaining() < (long) held * (WIDTH + (everywhere ? 0 : 2))) {
        throw new IllegalArgumentException("page " + number + " of a digest map is cut");
      }
      int[] at = new int[held];
      for (int i = 0; i < held; i++) {
        at[i] = everywhere ? i : from.getShort();
        if (at[i] < 0 || at[i] >= blocksOf(number) || i > 0 && at[i] <= at[i - 1]) {
          throw new IllegalArgumentException(
              "page " + number + " of a digest map has blocks out of order");
        }
      }
      for (int block : at) {
        set(number * PAGE + block, from.array(), from.position());
        from.position(from.position() + WIDTH);
      }
    }
    if (from.hasRemaining()) {
      throw new IllegalArgumentException(
          "a digest map has " + from.remaining() + " bytes behind its last page");
    }
  }

  private static MessageDigest sha() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }

  /** SHA-256 (FIPS 180-4) of what remains in the buffer. */
  public static byte[] digest(ByteBuffer bytes) {
    MessageDigest sha = sha();
    sha.update(bytes);
    return sha.digest();
  }
}
