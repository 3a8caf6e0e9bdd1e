package bargelane.text;

import java.math.BigDecimal;
import java.math.RoundingMode;

/** Amounts of bytes in binary units (IEC 80000-13), three digits. */
public final class Sizes {

  private static final String[] UNITS = {"B", "KiB", "MiB", "GiB", "TiB", "PiB"};

  private Sizes() {}

  /** Writes an amount, such as {@code 1.5GiB}; zeros at the end of a fraction are left out. */
  public static String text(long bytes) {
    double value = bytes;
    int unit = 0;
    while (value >= 1024 && unit < UNITS.length - 1) {
      value /= 1024;
      unit++;
    }
    int fraction = unit == 0 || value >= 100 ? 0 : value < 10 ? 2 : 1;
    return BigDecimal.valueOf(value)
            .setScale(fraction, RoundingMode.HALF_UP)
            .stripTrailingZeros()
            .toPlainString()
        + UNITS[unit];
  }

  /**
   * Writes an amount without rounding, in the largest unit that holds it whole: {@code 1536MiB}.
   */
  public static String exact(long bytes) {
    long value = bytes;
    int unit = 0;
    while (value != 0 && value % 1024 == 0 && unit < UNITS.length - 1) {
      value /= 1024;
      unit++;
    }
    return value + UNITS[unit];
  }
}
