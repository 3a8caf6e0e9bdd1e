package bargelane.service.connection;

import java.util.regex.Pattern;

/** Addresses as observers tell them. */
final class Addresses {

  private static final String BYTE = "(25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])";
  private static final Pattern FOUR = Pattern.compile(BYTE + "([.]" + BYTE + "){3}");
  private static final Pattern SIX = Pattern.compile("[0-9A-Fa-f:.]{2,45}");

  private Addresses() {}

  /** Whether this is an address; nothing is looked up. */
  static boolean valid(String told) {
    if (FOUR.matcher(told).matches()) {
      return true;
    }
    if (told.indexOf(':') < 0 || !SIX.matcher(told).matches()) {
      return false;
    }
    try {
      // With a colon and these characters only, it is read as a literal or refused.
      return java.net.InetAddress.getByName(told) != null;
    } catch (java.net.UnknownHostException e) {
      return false;
    }
  }
}
