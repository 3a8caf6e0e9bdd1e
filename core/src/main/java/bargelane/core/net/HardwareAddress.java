package bargelane.core.net;

import java.util.Locale;
import java.util.regex.Pattern;

/**
 * Addresses of network cards (EUI-48, IEEE 802-2014, section 8.2). Platforms and guests tell them,
 * and they end in options of emulators and in files of guests: what is no such address is none.
 */
public final class HardwareAddress {

  private static final Pattern FORM = Pattern.compile("([0-9a-f]{2}:){5}[0-9a-f]{2}");

  private static final int LENGTH = 17;

  private HardwareAddress() {}

  /** The same as {@link #FORM}: whole estates of them are read at each change. */
  private static boolean isCanonical(String text) {
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (i % 3 == 2 ? c != ':' : (c < '0' || c > '9') && (c < 'a' || c > 'f')) {
        return false;
      }
    }
    return text.length() == LENGTH;
  }

  /** Six pairs of hexadecimal digits in lower case, by colons; empty for what is none. */
  public static String canonical(String text) {
    if (text == null) {
      return "";
    }
    if (text.isEmpty() || isCanonical(text)) {
      return text;
    }
    String plain = text.strip().toLowerCase(Locale.ROOT).replace('-', ':');
    return FORM.matcher(plain).matches() ? plain : "";
  }
}
