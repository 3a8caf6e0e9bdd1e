package bargelane.blocks.ovf;

import java.math.BigInteger;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Programmatic units of bytes (DSP0004, annex "Programmatic Units": {@code byte * 2^20}), and the
 * words that version 1.0 of DSP0243 had for them.
 */
final class AllocationUnits {

  private static final Pattern POWER =
      Pattern.compile("bytes?(?:\\s*\\*\\s*(2|10)\\s*\\^\\s*([0-9]{1,2}))?");
  private static final Map<String, Integer> WORDS =
      Map.of("kilobytes", 10, "megabytes", 20, "gigabytes", 30, "terabytes", 40);

  private AllocationUnits() {}

  /** Bytes of a unit; the empty one is the byte. */
  static BigInteger bytes(String unit) throws OvfException {
    String told = unit.strip().toLowerCase(Locale.ROOT);
    if (told.isEmpty()) {
      return BigInteger.ONE;
    }
    if (WORDS.containsKey(told)) {
      return BigInteger.TWO.pow(WORDS.get(told));
    }
    Matcher m = POWER.matcher(told);
    if (!m.matches()) {
      throw new OvfException("'" + unit + "' is not a unit of bytes");
    }
    return m.group(1) == null
        ? BigInteger.ONE
        : new BigInteger(m.group(1)).pow(Integer.parseInt(m.group(2)));
  }
}
