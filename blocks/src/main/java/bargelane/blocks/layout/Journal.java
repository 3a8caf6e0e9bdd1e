package bargelane.blocks.layout;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * What a journal that was not replayed holds (kernel documentation, "ext4 Data Structures and
 * Algorithms", section "Journal (jbd2)"): for each block of the file system the newest committed
 * copy of it in the journal. Everything in a journal is big-endian.
 */
final class Journal {

  /** Where a block's committed content lies on the disk; {@code escaped} if its magic was cut. */
  record Copy(long disk, boolean escaped) {}

  /** Reads one block of the journal by its number there. */
  interface Blocks {
    ByteBuffer read(long block) throws IOException;

    /** Byte offset on the disk. */
    long at(long block) throws IOException;

    long count();
  }

  static final int MAGIC = 0xC03B3998;
  private static final int DESCRIPTOR = 1;
  private static final int COMMIT = 2;
  private static final int REVOKE = 5;
  private static final int INCOMPAT_64BIT = 2;
  private static final int INCOMPAT_CSUM_V2 = 8;
  private static final int INCOMPAT_CSUM_V3 = 16;
  private static final int FAST_COMMIT = 32;
  private static final int KNOWN = 1 | INCOMPAT_64BIT | 4 | INCOMPAT_CSUM_V2 | INCOMPAT_CSUM_V3;
  private static final int ESCAPED = 1;
  private static final int SAME_UUID = 2;
  private static final int LAST_TAG = 8;

  private record Transaction(int sequence, Map<Long, Copy> writes, List<Long> revoked) {}

  private Journal() {}

  /** The committed blocks, by block number of the file system. */
  static Map<Long, Copy> committed(Blocks journal) throws IOException {
    ByteBuffer sb = journal.read(0).order(ByteOrder.BIG_ENDIAN);
    int type = sb.getInt(4);
    if (sb.getInt(0) != MAGIC || type != 3 && type != 4) {
      throw new LayoutException("the journal has no super block");
    }
    long length = sb.getInt(16) & 0xffffffffL;
    long first = sb.getInt(20) & 0xffffffffL;
    int sequence = sb.getInt(24);
    long start = sb.getInt(28) & 0xffffffffL;
    int incompatible = type == 4 ? sb.getInt(40) : 0;
    if (start == 0) {
      return Map.of();
    }
    if ((incompatible & FAST_COMMIT) != 0 || (incompatible & ~KNOWN) != 0) {
      throw new LayoutException(
          "the journal was not replayed and has features that are not read here: 0x"
              + Integer.toHexString(incompatible));
    }
    if (length > journal.count() || first < 1 || first >= length || start >= length) {
      throw new LayoutException("the journal's super block is damaged");
    }
    List<Transaction> transactions = new ArrayList<>();
    Transaction open = new Transaction(sequence, new HashMap<>(), new ArrayList<>());
    long at = start;
    // Each block of the ring is looked at once at most.
    for (long seen = 0; seen < length - first; ) {
      ByteBuffer block = journal.read(at).order(ByteOrder.BIG_ENDIAN);
      if (block.getInt(0) != MAGIC || block.getInt(8) != open.sequence) {
        break;
      }
      long used = 1;
      switch (block.getInt(4)) {
        case DESCRIPTOR ->
            used += describe(block, incompatible, journal, at, first, length, open.writes);
        case REVOKE -> revoke(block, incompatible, open.revoked);
        case COMMIT -> {
          transactions.add(open);
          open = new Transaction(open.sequence + 1, new HashMap<>(), new ArrayList<>());
        }
        default -> throw new LayoutException("the journal has a block of an unknown type");
      }
      seen += used;
      at = wrap(at + used, first, length);
    }
    return replay(transactions);
  }

  private static long wrap(long at, long first, long length) {
    return at < length ? at : first + (at - length);
  }

  private static int describe(
      ByteBuffer block,
      int incompatible,
      Blocks journal,
      long at,
      long first,
      long length,
      Map<Long, Copy> writes)
      throws IOException {
    boolean v3 = (incompatible & INCOMPAT_CSUM_V3) != 0;
    boolean wide = (incompatible & INCOMPAT_64BIT) != 0;
    int size = v3 ? 16 : 8 + (wide ? 4 : 0) + ((incompatible & INCOMPAT_CSUM_V2) != 0 ? 2 : 0);
    int blocks = 0;
    for (int p = 12; p + size <= block.limit(); ) {
      int flags = v3 ? block.getInt(p + 4) : block.getShort(p + 6) & 0xffff;
      long number = block.getInt(p) & 0xffffffffL;
      if (wide) {
        number |= (block.getInt(p + 8) & 0xffffffffL) << 32;
      }
      blocks++;
      writes.put(
          number, new Copy(journal.at(wrap(at + blocks, first, length)), (flags & ESCAPED) != 0));
      p += size + ((flags & SAME_UUID) == 0 ? 16 : 0);
      if ((flags & LAST_TAG) != 0) {
        return blocks;
      }
    }
    return blocks;
  }

  private static void revoke(ByteBuffer block, int incompatible, List<Long> revoked)
      throws LayoutException {
    int end = block.getInt(12);
    int size = (incompatible & INCOMPAT_64BIT) != 0 ? 8 : 4;
    if (end < 16 || end > block.limit()) {
      throw new LayoutException("a revocation in the journal is damaged");
    }
    for (int p = 16; p + size <= end; p += size) {
      revoked.add(size == 8 ? block.getLong(p) : block.getInt(p) & 0xffffffffL);
    }
  }

  private static Map<Long, Copy> replay(List<Transaction> transactions) {
    Map<Long, Integer> revoked = new HashMap<>();
    for (int i = 0; i < transactions.size(); i++) {
      for (long block : transactions.get(i).revoked) {
        revoked.put(block, i);
      }
    }
    Map<Long, Copy> newest = new HashMap<>();
    for (int i = 0; i < transactions.size(); i++) {
      for (Map.Entry<Long, Copy> write : transactions.get(i).writes.entrySet()) {
        if (revoked.getOrDefault(write.getKey(), -1) < i) {
          newest.put(write.getKey(), write.getValue());
        }
      }
    }
    return newest;
  }
}
