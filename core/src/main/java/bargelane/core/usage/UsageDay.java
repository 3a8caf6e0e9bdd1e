package bargelane.core.usage;

import java.nio.ByteBuffer;
import java.nio.FloatBuffer;
import java.util.Arrays;

/**
 * One machine's samples of one day of UTC: {@value #SLOTS} slots of five minutes, each the mean of
 * its time, NaN where nothing was measured.
 */
public final class UsageDay {

  public static final int SLOTS = 288;
  public static final int SLOT_SECONDS = 300;

  /** Bytes of a packed day. */
  public static final int PACKED = Metric.values().length * SLOTS * Float.BYTES;

  private final float[] values = new float[Metric.values().length * SLOTS];

  /** A day without samples. */
  public UsageDay() {
    Arrays.fill(values, Float.NaN);
  }

  /**
   * A day from its packed form: metric after metric, slot after slot, 32-bit IEEE 754 floats with
   * the highest byte first.
   *
   * @throws IllegalArgumentException if the length is another than {@link #PACKED}
   */
  public static UsageDay unpack(byte[] packed) {
    if (packed.length != PACKED) {
      throw new IllegalArgumentException(
          "a packed day has " + PACKED + " bytes, not " + packed.length);
    }
    UsageDay day = new UsageDay();
    ByteBuffer.wrap(packed).asFloatBuffer().get(day.values);
    return day;
  }

  public byte[] pack() {
    ByteBuffer bytes = ByteBuffer.allocate(PACKED);
    FloatBuffer floats = bytes.asFloatBuffer();
    floats.put(values);
    return bytes.array();
  }

  public float get(Metric metric, int slot) {
    return values[metric.ordinal() * SLOTS + slot];
  }

  /** Sets one value; NaN and what can't have been measured (below 0, infinite) are left out. */
  public void set(Metric metric, int slot, double value) {
    if (value >= 0 && value <= Float.MAX_VALUE) {
      values[metric.ordinal() * SLOTS + slot] = (float) value;
    }
  }

  /** Takes over what another day holds, where it holds something. */
  public void overlay(UsageDay newer) {
    for (int i = 0; i < values.length; i++) {
      if (!Float.isNaN(newer.values[i])) {
        values[i] = newer.values[i];
      }
    }
  }

  /** Whether a slot holds anything. */
  public boolean held(int slot) {
    for (int at = slot; at < values.length; at += SLOTS) {
      if (!Float.isNaN(values[at])) {
        return true;
      }
    }
    return false;
  }
}
