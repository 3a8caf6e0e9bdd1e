package bargelane.core.guest;

/** Small readings of text that a guest told. */
final class Texts {

  private Texts() {}

  /** Without control characters, no longer than so many characters. */
  static String plain(String told, int longest) {
    StringBuilder text = new StringBuilder();
    told.strip()
        .codePoints()
        .filter(c -> !Character.isISOControl(c) && Character.isDefined(c))
        .limit(longest)
        .forEach(text::appendCodePoint);
    return text.toString();
  }

  /** A whole number that is not negative; 0 if it is none. */
  static long number(String told) {
    return told.matches("[0-9]{1,18}") ? Long.parseLong(told) : 0;
  }

  /** The text of an address of version 6 (RFC 5952). */
  static String version6(int[] bytes) {
    int best = -1;
    int bestLength = 1;
    for (int i = 0; i < 8; i++) {
      int run = 0;
      while (i + run < 8 && bytes[2 * (i + run)] == 0 && bytes[2 * (i + run) + 1] == 0) {
        run++;
      }
      if (run > bestLength) {
        best = i;
        bestLength = run;
      }
    }
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 8; ) {
      if (i == best) {
        text.append("::");
        i += bestLength;
        continue;
      }
      if (text.length() > 0 && text.charAt(text.length() - 1) != ':') {
        text.append(':');
      }
      text.append(Integer.toHexString(bytes[2 * i] << 8 | bytes[2 * i + 1]));
      i++;
    }
    return text.toString();
  }
}
