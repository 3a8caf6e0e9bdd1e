package bargelane.core.account;

import java.nio.charset.StandardCharsets;
import java.util.Locale;
import java.util.Optional;

/** What a password must be. */
public final class Passwords {

  /** Characters that a password has at least. */
  public static final int SHORTEST = 12;

  /** Bytes of UTF-8 that a password has at most: bcrypt reads no more. */
  public static final int LONGEST = 72;

  private static final int DIFFERENT = 5;

  private Passwords() {}

  /** Whether it is one that bcrypt can read whole. */
  public static boolean readable(String password) {
    return password.getBytes(StandardCharsets.UTF_8).length <= LONGEST
        && password.indexOf('\0') < 0;
  }

  /** Why a password can't be taken for an account; empty if it can. */
  public static Optional<String> weakness(String account, String password) {
    if (password.codePointCount(0, password.length()) < SHORTEST) {
      return Optional.of("has fewer than " + SHORTEST + " characters");
    }
    if (!readable(password)) {
      return Optional.of(
          "has more than " + LONGEST + " bytes, or a character that no keyboard gives");
    }
    if (password.codePoints().distinct().count() < DIFFERENT) {
      return Optional.of("has fewer than " + DIFFERENT + " different characters");
    }
    if (password.toLowerCase(Locale.ROOT).contains(account.toLowerCase(Locale.ROOT))) {
      return Optional.of("holds the account's name");
    }
    return Optional.empty();
  }
}
