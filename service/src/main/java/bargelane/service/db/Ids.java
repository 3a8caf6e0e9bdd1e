package bargelane.service.db;

import java.security.SecureRandom;

/**
 * Short, typed, readable ids: a prefix and six letters or digits that can't be mistaken for each
 * other.
 */
public final class Ids {

  private static final String ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz";
  private static final SecureRandom RANDOM = new SecureRandom();

  private Ids() {}

  public static String next(String prefix) {
    StringBuilder id = new StringBuilder(prefix).append('-');
    for (int i = 0; i < 6; i++) {
      id.append(ALPHABET.charAt(RANDOM.nextInt(ALPHABET.length())));
    }
    return id.toString();
  }

  /** A secret of 32 characters. */
  public static String secret() {
    byte[] bytes = new byte[24];
    RANDOM.nextBytes(bytes);
    return java.util.Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
  }
}
