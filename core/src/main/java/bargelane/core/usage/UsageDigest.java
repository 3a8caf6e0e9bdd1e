package bargelane.core.usage;

import java.nio.ByteBuffer;
import java.util.Arrays;

/**
 * A day of use in an eighth of its bytes, so that the percentiles of thousands of machines over
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

  /** The code of an hour without a sample: that of a NaN. */
  static final int NONE = 0xFFFF;

  private static final byte VERSION = 1;

  /** Bytes of a digest whose values all differ: three for a distance, two for a count. */
  private static final int LONGEST =
      1 + HELD_BYTES + Load.values().length * (2 * HOURS + 2 + 5 * UsageDay.SLOTS);

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

  /** Sorted codes as the number of different ones, then of each its distance and its count. */
  private static void bins(ByteBuffer out, int[] sorted, int n) {
    int different = 0;
    for (int i = 0; i < n; i++) {
      if (i == 0 || sorted[i] != sorted[i - 1]) {
        different++;
      }
    }
    two(out, different);
    int former = 0;
    for (int i = 0; i < n; ) {
      int end = i;
      while (end < n && sorted[end] == sorted[i]) {
        end++;
      }
      number(out, sorted[i] - former);
      number(out, end - i);
      former = sorted[i];
      i = end;
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
        throw new IllegalArgumentException("this is no digest of a day's use");
      }
      this.packed = packed;
      this.at = 1 + HELD_BYTES;
    }

    boolean held(int slot) {
      return (packed[1 + slot / Byte.SIZE] >> slot % Byte.SIZE & 1) == 1;
    }

    int two() {
      int value = (packed[at] & 0xFF) << 8 | packed[at + 1] & 0xFF;
      at += 2;
      return value;
    }

    int number() {
      int value = 0;
      int shift = 0;
      while (packed[at] < 0) {
        value |= (packed[at++] & 0x7F) << shift;
        shift += 7;
      }
      return value | packed[at++] << shift;
    }
  }
}
