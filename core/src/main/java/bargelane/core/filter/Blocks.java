package bargelane.core.filter;

import java.util.regex.Pattern;

/** Addresses and blocks of addresses, told from names without asking a resolver. */
final class Blocks {

  private static final Pattern V4 =
      Pattern.compile("((25[0-5]|2[0-4]\\d|1?\\d?\\d)\\.){3}(25[0-5]|2[0-4]\\d|1?\\d?\\d)");
  private static final Pattern V6 =
      Pattern.compile(
          "(?=.*::)(?!.*::.*::)[0-9a-fA-F:]{2,39}|([0-9a-fA-F]{1,4}:){7}[0-9a-fA-F]{1,4}");

  private Blocks() {}

  /** Whether a text is an address or a block in the notation of RFC 4632 or RFC 4291. */
  static boolean wellFormed(String text) {
    int slash = text.indexOf('/');
    String address = slash < 0 ? text : text.substring(0, slash);
    boolean four = V4.matcher(address).matches();
    if (!four && !(V6.matcher(address).matches() && groups(address))) {
      return false;
    }
    return slash < 0 || prefix(text.substring(slash + 1), four ? 32 : 128);
  }

  private static boolean groups(String v6) {
    String[] all = v6.split(":", -1);
    int filled = 0;
    for (String g : all) {
      if (g.length() > 4) {
        return false;
      }
      filled += g.isEmpty() ? 0 : 1;
    }
    boolean edges =
        (!v6.startsWith(":") || v6.startsWith("::")) && (!v6.endsWith(":") || v6.endsWith("::"));
    return edges && (v6.contains("::") ? filled <= 7 : filled == 8);
  }

  private static boolean prefix(String text, int most) {
    return text.matches("\\d{1,3}") && Integer.parseInt(text) <= most;
  }
}
