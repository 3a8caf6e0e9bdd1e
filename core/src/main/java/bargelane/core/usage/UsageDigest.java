package bargelane.core.usage;

import java.nio.ByteBuffer;
import java.util.Arrays;

/**
 * A day of use in a seventh of its bytes, so that the percentiles of thousands of machines over
 * months can be told at once (docs/formats/usage-digest.md): which slots were held and, of each
 * {@link Load}, the mean of each hour and how often each value came up.
 *
 * <p>Values are rounded up to the upper 16 bits of a 32-bit IEEE 754 float: seven bits of fraction,
 * so that what is told is never below what was measured and at most 1/128 above it.
 */
public final class UsageDigest {

  /** How much a told value may lie above the measured one, as a share of it. */
  public static final double ROUNDING = 1.0 / 128;

  static final int HOURS = 24;
  static final int SLOTS_AN_HOUR = UsageDay.SLOTS / HOURS;
  static final int HELD_BYTES = UsageDay.SLOTS / Byte.SIZE;

  /** Codes of values from 0 on are below this. */
  static final int CODES = 1 << 15;

  /** The code of an hour without a sample: that of a NaN. */
  static final int NONE = 0xFFFF;

  private static final byte VERSION = 1;
  private static final int MOST_A_BIN = 2 + Byte.MAX_VALUE;

  /** Bytes of a digest whose values all differ: three for a distance, one for a count. */
  private static final int LONGEST =
      1 + HELD_BYTES + Load.values().length * (2 * HOURS + 4 + 4 * UsageDay.SLOTS);

  private UsageDigest() {}

  /** The upper half of a float that is not below the value. */
  static int code(float value) {
    return (Float.floatToIntBits(value) + 0xFFFF) >>> 16;
  }

  static float value(int code) {
    return Float.intBitsToFloat(code << 16);
  }

  /** The packed digest of a day. */
  public static byte[] pack(UsageDay day) {
    ByteBuffer out = ByteBuffer.allocate(LONGEST);
    out.put(VERSION);
    byte[] held = new byte[HELD_BYTES];
    for (int slot = 0; slot < UsageDay.SLOTS; slot++) {
      if (day.held(slot)) {
        held[slot / Byte.SIZE] |= (byte) (1 << slot % Byte.SIZE);
      }
    }
    out.put(held);
    int[] codes = new int[UsageDay.SLOTS];
    for (Load load : Load.values()) {
      int n = 0;
      for (int hour = 0; hour < HOURS; hour++) {
        int first = n;
        double sum = 0;
        for (int slot = hour * SLOTS_AN_HOUR; slot < (hour + 1) * SLOTS_AN_HOUR; slot++) {
          float value = load.of(day, slot);
          if (!Float.isNaN(value)) {
            sum += value;
            codes[n++] = code(value);
          }
        }
        two(out, n == first ? NONE : code((float) (sum / (n - first))));
      }
      Arrays.sort(codes, 0, n);
      bins(out, codes, n);
    }
    return Arrays.copyOf(out.array(), out.position());
  }

  /**
   * Sorted codes as bins: how many, and how many of those came up more than once; of these how
   * often beyond two; then of each bin twice its distance to the one before, and one more if it is
   * of these. Most come up once. What came up more often than seven bits can tell goes on in
   * another bin, at distance 0.
   */
  private static void bins(ByteBuffer out, int[] sorted, int n) {
    int[] numbers = new int[n];
    byte[] more = new byte[n];
    int bins = 0;
    int several = 0;
    int former = 0;
    for (int i = 0; i < n; ) {
      int end = i + 1;
      while (end < n && end - i < MOST_A_BIN && sorted[end] == sorted[i]) {
        end++;
      }
      numbers[bins] = 2 * (sorted[i] - former);
      if (end - i > 1) {
        numbers[bins]++;
        more[several++] = (byte) (end - i - 2);
      }
      bins++;
      former = sorted[i];
      i = end;
    }
    two(out, bins);
    two(out, several);
    out.put(more, 0, several);
    for (int i = 0; i < bins; i++) {
      number(out, numbers[i]);
    }
  }

  private static void two(ByteBuffer out, int value) {
    out.putShort((short) value);
  }

  /** Seven bits a byte, the lowest first; all but the last have their highest bit set. */
  private static void number(ByteBuffer out, int value) {
    int rest = value;
    while (rest >= 0x80) {
      out.put((byte) (rest | 0x80));
      rest >>>= 7;
    }
    out.put((byte) rest);
  }

  /** Reads a packed digest from its beginning to its end. */
  static final class Reader {
    private final byte[] packed;
    private int at;

    /**
     * @throws IllegalArgumentException if it is none of this version
     */
    Reader(byte[] packed) {
      if (packed.length < 1 + HELD_BYTES || packed[0] != VERSION) {
        throw new IllegalArgumentException("this is not a digest of a day's use");
      }
      this.packed = packed;
      this.at = 1 + HELD_BYTES;
    }

    int two() {
      int value = (packed[at] & 0xFF) << 8 | packed[at + 1] & 0xFF;
      at += 2;
      return value;
    }

    /** The lowest and the highest code of some bins; none if the lowest is above the highest. */
    record Range(int lowest, int highest) {}

    /** Reads the bins of a load, and adds how often each code came up to its count. */
    Range bins(int[] counts) {
      int left = two();
      int several = two();
      byte[] bytes = packed;
      int more = at;
      int next = at + several;
      int code = 0;
      int lowest = counts.length;
      while (left-- > 0) {
        int value = bytes[next++];
        if (value < 0) {
          value &= 0x7F;
          int shift = 7;
          while (bytes[next] < 0) {
            value |= (bytes[next++] & 0x7F) << shift;
            shift += 7;
          }
          value |= bytes[next++] << shift;
        }
        code += value >>> 1;
        lowest = Math.min(lowest, code);
        // Without a branch, which no processor could foresee.
        int again = value & 1;
        counts[code] += 1 + again * (1 + bytes[more]);
        more += again;
      }
      at = next;
      return new Range(lowest, lowest == counts.length ? -1 : code);
    }

    /** Tells which slots were held, from a place on. */
    void held(boolean[] slots, int from) {
      int to = from;
      for (int i = 1; i <= HELD_BYTES; i++) {
        int bits = packed[i];
        for (int k = 0; k < Byte.SIZE; k++) {
          slots[to++] = (bits & 1) != 0;
          bits >>= 1;
        }
      }
    }
  }
}
