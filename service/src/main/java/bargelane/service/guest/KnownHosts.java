package bargelane.service.guest;

import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;

/**
 * A file of host keys as SSH clients keep it (OpenBSD's sshd(8), SSH_KNOWN_HOSTS FILE FORMAT):
 * names plain or hashed. Patterns, authorities and what can't be read approve nothing.
 */
final class KnownHosts {

  private static final int SSH = 22;

  private record Line(List<String> hosts, String fingerprint) {}

  private final List<Line> lines = new ArrayList<>();
  private final Set<String> revoked = new LinkedHashSet<>();

  KnownHosts(String text) {
    for (String line : text.split("\\R")) {
      String[] words = line.strip().split("[ \t]+");
      boolean marked = words[0].startsWith("@");
      int at = marked ? 1 : 0;
      if (words.length < at + 3 || words[0].startsWith("#")) {
        continue;
      }
      try {
        String fingerprint = fingerprint(Base64.getDecoder().decode(words[at + 2]));
        if (words[0].equals("@revoked")) {
          revoked.add(fingerprint);
        } else if (!marked) {
          lines.add(new Line(Arrays.asList(words[at].split(",")), fingerprint));
        }
      } catch (IllegalArgumentException e) {
        // It is no key.
      }
    }
  }

  private static String fingerprint(byte[] key) {
    try {
      return "SHA256:"
          + Base64.getEncoder()
              .withoutPadding()
              .encodeToString(MessageDigest.getInstance("SHA-256").digest(key));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }

  /** The fingerprints of a server's keys, those of all its kinds; none if it is not in the file. */
  Set<String> of(String host, int port) {
    String name = port == SSH ? host : "[" + host + "]:" + port;
    Set<String> found = new LinkedHashSet<>();
    for (Line line : lines) {
      if (line.hosts.stream().anyMatch(h -> is(h, name))) {
        found.add(line.fingerprint);
      }
    }
    found.removeAll(revoked);
    return found;
  }

  private static boolean is(String entry, String name) {
    if (!entry.startsWith("|1|")) {
      return entry.equalsIgnoreCase(name);
    }
    String[] parts = entry.split("[|]");
    if (parts.length != 4) {
      return false;
    }
    try {
      Mac mac = Mac.getInstance("HmacSHA1");
      mac.init(new SecretKeySpec(Base64.getDecoder().decode(parts[2]), "HmacSHA1"));
      return MessageDigest.isEqual(
          mac.doFinal(name.getBytes(StandardCharsets.UTF_8)), Base64.getDecoder().decode(parts[3]));
    } catch (GeneralSecurityException | IllegalArgumentException e) {
      return false;
    }
  }
}
