package bargelane.service.site;

import bargelane.service.platform.Db;
import bargelane.service.platform.SettingEntity;
import java.io.IOException;
import java.io.UncheckedIOException;
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
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;

/**
 * Seals secrets with AES-256-GCM (NIST SP 800-38D) under a key in a file that only the service's
 * user can read. A sealed secret is a 12-byte nonce, the ciphertext and a 16-byte tag; its name is
 * authenticated with it, so that one can't be put in another's place.
 */
public final class Vault {

  /** What is sealed to know the key again. */
  private static final String CHECK = "master-key-check";

  private static final int NONCE = 12;
  private static final int TAG_BITS = 128;

  private final SecretKeySpec key;
  private final SecureRandom random = new SecureRandom();

  /**
   * Reads the key of an installation, or makes it at the very first start.
   *
   * @throws IOException if the key is missing, damaged, or not the one that the installation's
   *     secrets were sealed with
   */
  public static Vault of(Path keyFile, Db db) throws IOException {
    try {
      return db.tx(
          s -> {
            // Of two nodes that start for the first time at once one makes the check.
            Db.lock(s, CHECK);
            SettingEntity check = s.find(SettingEntity.class, CHECK);
            List<CredentialEntity> sealed =
                Db.query(s, CredentialEntity.class, "from CredentialEntity order by id")
                    .setMaxResults(1)
                    .getResultList();
            if (!Files.exists(keyFile) && (check != null || !sealed.isEmpty())) {
              throw wrong(keyFile, "is missing");
            }
            Vault vault;
            try {
              vault = new Vault(keyFile);
            } catch (IOException e) {
              throw new UncheckedIOException(e);
            }
            try {
              if (check != null) {
                vault.open(CHECK, Base64.getDecoder().decode(check.value));
              } else {
                sealed.forEach(c -> vault.open(c.id, c.sealed));
                SettingEntity made = new SettingEntity();
                made.name = CHECK;
                made.value = Base64.getEncoder().encodeToString(vault.seal(CHECK, CHECK));
                s.persist(made);
              }
            } catch (IllegalStateException e) {
              throw wrong(keyFile, "is not the one that the secrets here were sealed with");
            }
            return vault;
          });
    } catch (UncheckedIOException e) {
      throw e.getCause();
    }
  }

  private static UncheckedIOException wrong(Path keyFile, String how) {
    return new UncheckedIOException(
        new IOException(
            "the master key file "
                + keyFile
                + " "
                + how
                + ": restore it from your backup, or copy it from the first node's home"));
  }

  /** Reads the key, or makes it the first time. */
  Vault(Path keyFile) throws IOException {
    if (!Files.exists(keyFile)) {
      byte[] fresh = new byte[32];
      random.nextBytes(fresh);
      // Whole or not at all.
      Path part = keyFile.resolveSibling(keyFile.getFileName() + ".new");
      Files.deleteIfExists(part);
      Files.createFile(
          part, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(part, fresh);
      Files.move(part, keyFile, StandardCopyOption.ATOMIC_MOVE);
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
