package bargelane.service.backup;

import bargelane.service.platform.Json;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import javax.crypto.AEADBadTagException;
import javax.crypto.Cipher;
import javax.crypto.SecretKeyFactory;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.PBEKeySpec;
import javax.crypto.spec.SecretKeySpec;

/**
 * The keys of a home under a passphrase: AES-256-GCM (NIST SP 800-38D) with a key by
 * PBKDF2-HMAC-SHA256 (RFC 8018, 5.2). Sealed keys are a salt of 16 bytes, a nonce of 12, and the
 * ciphertext with its tag.
 */
final class SealedKeys {

  /**
   * Files of a home that can't be made again. The key that is to follow is read before the one
   * whose place it takes, so that between them they hold the one that counts.
   */
  private static final List<String> FILES =
      List.of("master-key.next", "master-key", "certificate.p12", "agents.p12", "agents-port");

  static final int SHORTEST = 12;

  private static final int ROUNDS = 600_000;
  private static final int SALT = 16;
  private static final int NONCE = 12;
  private static final int TAG_BITS = 128;
  private static final byte[] FOR = BackupFile.FORMAT.getBytes(StandardCharsets.US_ASCII);

  private SealedKeys() {}

  static byte[] seal(Path home, char[] passphrase) throws IOException {
    if (passphrase.length < SHORTEST) {
      throw new IOException("the passphrase is too short: give one of " + SHORTEST + " or more");
    }
    Map<String, String> files = new TreeMap<>();
    for (String name : FILES) {
      Path file = home.resolve(name);
      if (Files.exists(file)) {
        files.put(name, Base64.getEncoder().encodeToString(Files.readAllBytes(file)));
      }
    }
    if (!files.containsKey("master-key")) {
      throw new IOException("there is no master key in " + home + ": name the service's home");
    }
    SecureRandom random = new SecureRandom();
    byte[] salt = new byte[SALT];
    byte[] nonce = new byte[NONCE];
    random.nextBytes(salt);
    random.nextBytes(nonce);
    try {
      byte[] sealed =
          cipher(Cipher.ENCRYPT_MODE, passphrase, salt, nonce)
              .doFinal(Json.text(files).getBytes(StandardCharsets.UTF_8));
      return ByteBuffer.allocate(SALT + NONCE + sealed.length)
          .put(salt)
          .put(nonce)
          .put(sealed)
          .array();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has AES-GCM and PBKDF2", e);
    }
  }

  /**
   * Opens sealed keys: contents by file name.
   *
   * @throws IOException if the passphrase is another one
   */
  static Map<String, byte[]> open(byte[] sealed, char[] passphrase) throws IOException {
    if (sealed.length <= SALT + NONCE) {
      throw new IOException("the keys of the backup are cut off");
    }
    try {
      byte[] plain =
          cipher(
                  Cipher.DECRYPT_MODE,
                  passphrase,
                  Arrays.copyOf(sealed, SALT),
                  Arrays.copyOfRange(sealed, SALT, SALT + NONCE))
              .doFinal(sealed, SALT + NONCE, sealed.length - SALT - NONCE);
      Map<String, byte[]> files = new TreeMap<>();
      Json.object(new String(plain, StandardCharsets.UTF_8))
          .fields()
          .forEachRemaining(
              f -> {
                if (FILES.contains(f.getKey())) {
                  files.put(f.getKey(), Base64.getDecoder().decode(f.getValue().asText()));
                }
              });
      return files;
    } catch (AEADBadTagException e) {
      throw new IOException("the passphrase is not the one that the keys were sealed with", e);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("every Java platform has AES-GCM and PBKDF2", e);
    }
  }

  /**
   * Puts keys into a home, each whole or not at all, readable by its owner only.
   *
   * @throws IOException if another key is there; nothing is changed then
   */
  static void place(Map<String, byte[]> files, Path home) throws IOException {
    for (Map.Entry<String, byte[]> one : files.entrySet()) {
      Path file = home.resolve(one.getKey());
      if (Files.exists(file) && !Arrays.equals(Files.readAllBytes(file), one.getValue())) {
        throw new IOException(
            file + " is there and is another one than the backup's: restore into an empty home");
      }
    }
    for (Map.Entry<String, byte[]> one : files.entrySet()) {
      Path file = home.resolve(one.getKey());
      Path fresh = home.resolve(one.getKey() + ".new");
      Files.deleteIfExists(fresh);
      Files.createFile(
          fresh,
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(fresh, one.getValue());
      Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    }
  }

  private static Cipher cipher(int mode, char[] passphrase, byte[] salt, byte[] nonce)
      throws GeneralSecurityException {
    byte[] key =
        SecretKeyFactory.getInstance("PBKDF2WithHmacSHA256")
            .generateSecret(new PBEKeySpec(passphrase, salt, ROUNDS, 256))
            .getEncoded();
    Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
    cipher.init(mode, new SecretKeySpec(key, "AES"), new GCMParameterSpec(TAG_BITS, nonce));
    cipher.updateAAD(FOR);
    return cipher;
  }
}
