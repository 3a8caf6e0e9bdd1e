package bargelane.sites.libvirt;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/** Short names for things whose path must be short: a socket's may have 107 bytes (sun_path). */
final class Names {

  private Names() {}

  static String brief(String name) {
    try {
      byte[] digest =
          MessageDigest.getInstance("SHA-256").digest(name.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest, 0, 8);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
