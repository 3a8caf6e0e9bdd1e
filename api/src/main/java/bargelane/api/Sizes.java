package bargelane.api;

import java.util.Locale;

/** Amounts of bytes in binary units (IEC 80000-13), three digits. */
public final class Sizes {

  private static final String[] UNITS = {"B", "KiB", "MiB", "GiB", "TiB", "PiB"};

  private Sizes() {}

  /** Writes an amount, such as {@code 1.50 GiB}. */
  public static String text(long bytes) {
    double value = bytes;
    int unit = 0;
    while (value >= 1024 && unit < UNITS.length - 1) {
      value /= 1024;
      unit++;
    }
    return unit == 0
        ? bytes + " B"
        : String.format(
            Locale.ROOT,
            value < 10 ? "%.2f %s" : value < 100 ? "%.1f %s" : "%.0f %s",
            value,
            UNITS[unit]);
  }
}
