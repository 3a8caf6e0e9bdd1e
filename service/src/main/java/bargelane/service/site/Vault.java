package bargelane.service.site;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Arrays;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;

/**
 * Seals secrets with AES-256-GCM (NIST SP 800-38D) under a key in a file that only the service's
 * user can read. A sealed secret is a 12-byte nonce, the ciphertext and a 16-byte tag; its name is
 * authenticated with it, so that one can't be put in another's place.
 */
public final class Vault {

  private static final int NONCE = 12;
  private static final int TAG_BITS = 128;

  private final SecretKeySpec key;
  private final SecureRandom random = new SecureRandom();

  /** Reads the key, or makes it the first time. */
  public Vault(Path keyFile) throws IOException {
    if (!Files.exists(keyFile)) {
      byte[] fresh = new byte[32];
      random.nextBytes(fresh);
      Files.createFile(
          keyFile,
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(keyFile, fresh);
    }
    byte[] bytes = Files.readAllBytes(keyFile);
    if (bytes.length != 32) {
      throw new IOException(
          "the master key file "
              + keyFile
              + " holds "
              + bytes.length
              + " bytes, not 32: restore it from your backup");
    }
    this.key = new SecretKeySpec(bytes, "AES");
  }

  public byte[] seal(String name, String secret) {
    try {
      byte[] nonce = new byte[NONCE];
      random.nextBytes(nonce);
      byte[] sealed =
          cipher(Cipher.ENCRYPT_MODE, nonce, name).doFinal(secret.getBytes(StandardCharsets.UTF_8));
      return ByteBuffer.allocate(NONCE + sealed.length).put(nonce).put(sealed).array();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has AES-GCM", e);
    }
  }

  /**
   * Opens a sealed secret.
   *
   * @throws IllegalStateException if the key is not the one it was sealed with
   */
  public String open(String name, byte[] sealed) {
    try {
      byte[] nonce = Arrays.copyOf(sealed, NONCE);
      return new String(
          cipher(Cipher.DECRYPT_MODE, nonce, name).doFinal(sealed, NONCE, sealed.length - NONCE),
          StandardCharsets.UTF_8);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(
          "the secret of " + name + " can't be opened with this master key", e);
    }
  }

  private Cipher cipher(int mode, byte[] nonce, String name) throws GeneralSecurityException {
    Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
    cipher.init(mode, key, new GCMParameterSpec(TAG_BITS, nonce));
    cipher.updateAAD(name.getBytes(StandardCharsets.UTF_8));
    return cipher;
  }
}
