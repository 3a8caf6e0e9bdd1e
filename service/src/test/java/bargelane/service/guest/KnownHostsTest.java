package bargelane.service.guest;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.Set;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;
import org.junit.jupiter.api.Test;

class KnownHostsTest {

  private static final String KEY =
      Base64.getEncoder().encodeToString("one key".getBytes(StandardCharsets.US_ASCII));
  private static final String OTHER =
      Base64.getEncoder().encodeToString("other key".getBytes(StandardCharsets.US_ASCII));

  // printf 'one key' | sha256sum, and so on, in Base64 without its padding.
  private static final String PRINT = "SHA256:++iEBe3qmZKMCvgfcAgnKyeJnIdPlfR2CUJV54JpKtM";
  private static final String OTHER_PRINT = "SHA256:w9EysHpWWNS6AYeLc7p9uYeaASDKm1Mw2WAL+dyE12E";

  private static String hashed(String name) throws Exception {
    byte[] salt = "a salt of 20 bytes ..".getBytes(StandardCharsets.US_ASCII);
    Mac mac = Mac.getInstance("HmacSHA1");
    mac.init(new SecretKeySpec(salt, "HmacSHA1"));
    Base64.Encoder b = Base64.getEncoder();
    return "|1|"
        + b.encodeToString(salt)
        + "|"
        + b.encodeToString(mac.doFinal(name.getBytes(StandardCharsets.US_ASCII)));
  }

  @Test
  void namesPlainHashedAndWithAPortAreFound() throws Exception {
    KnownHosts file =
        new KnownHosts(
            "# what we know\n\n"
                + "annex,10.20.9.7 ssh-ed25519 "
                + KEY
                + " a comment\r\n"
                + "annex ecdsa-sha2-nistp256 "
                + OTHER
                + "\n[10.20.9.8]:2222 ssh-ed25519 "
                + KEY
                + "\n"
                + hashed("hidden")
                + " ssh-ed25519 "
                + OTHER
                + "\n");
    assertEquals(Set.of(PRINT, OTHER_PRINT), file.of("annex", 22));
    assertEquals(Set.of(PRINT), file.of("10.20.9.7", 22));
    assertEquals(Set.of(), file.of("annex", 2222));
    assertEquals(Set.of(PRINT), file.of("10.20.9.8", 2222));
    assertEquals(Set.of(), file.of("10.20.9.8", 22));
    assertEquals(Set.of(OTHER_PRINT), file.of("hidden", 22));
  }

  @Test
  void whatIsRevokedOrNoKeyOfOneHostApprovesNothing() {
    KnownHosts file =
        new KnownHosts(
            "@revoked * ssh-ed25519 "
                + KEY
                + "\nannex ssh-ed25519 "
                + KEY
                + "\nother ssh-ed25519 not-base64!\n@cert-authority other ssh-ed25519 "
                + OTHER
                + "\n* ssh-ed25519 "
                + OTHER
                + "\n|1|x ssh-ed25519 "
                + OTHER
                + "\nshort\n");
    assertEquals(Set.of(), file.of("annex", 22));
    assertEquals(Set.of(), file.of("other", 22));
  }
}
