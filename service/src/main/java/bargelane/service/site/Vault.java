package bargelane.service.site;

import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.SettingEntity;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Optional;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * Seals secrets with AES-256-GCM (NIST SP 800-38D) under a key in a file that only the service's
 * user can read. A sealed secret is a 12-byte nonce, the ciphertext and a 16-byte tag; its name is
 * authenticated with it, so that one can't be put in another's place.
 *
 * <p>The key can be changed while the service runs: the fresh one lies beside the file as {@code
 * .next} before the first secret is sealed with it, and takes the file's place after the last. A
 * start that finds both takes the one that the secrets are sealed with.
 */
public final class Vault {

  /** What is sealed to know the key again; also the name of the lock of who seals. */
  public static final String CHECK = "master-key-check";

  /** What the names of settings begin with that are sealed. */
  private static final String KEPT = "kept:";

  private static final int BYTES = 32;
  private static final int NONCE = 12;
  private static final int TAG_BITS = 128;

  private final Path keyFile;
  private final SecureRandom random = new SecureRandom();

  /** The one of the file; after a change that of before too, or the one that was to follow. */
  private volatile List<SecretKeySpec> keys;

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
            try {
              if (check != null) {
                takeNext(keyFile, Base64.getDecoder().decode(check.value));
              }
              if (!Files.exists(keyFile) && (check != null || !sealed.isEmpty())) {
                throw wrong(keyFile, "is missing");
              }
              Vault vault = new Vault(keyFile);
              if (check != null) {
                vault.open(CHECK, Base64.getDecoder().decode(check.value));
              } else {
                sealed.forEach(c -> vault.open(c.id, c.sealed));
                SettingEntity made = new SettingEntity();
                made.name = CHECK;
                made.value = Base64.getEncoder().encodeToString(vault.seal(CHECK, CHECK));
                s.persist(made);
              }
              return vault;
            } catch (IOException e) {
              throw new UncheckedIOException(e);
            } catch (IllegalStateException e) {
              throw wrong(keyFile, "is not the one that the secrets here were sealed with");
            }
          });
    } catch (UncheckedIOException e) {
      throw e.getCause();
    }
  }

  /** Ends a change of the key that was cut off: forward if its secrets were stored, else back. */
  private static void takeNext(Path keyFile, byte[] check) throws IOException {
    Path next = next(keyFile);
    if (!Files.exists(next)) {
      return;
    }
    byte[] bytes = Files.readAllBytes(next);
    boolean sealedWith = false;
    if (bytes.length == BYTES) {
      try {
        open(List.of(new SecretKeySpec(bytes, "AES")), CHECK, check);
        sealedWith = true;
      } catch (IllegalStateException e) {
        // The change was not stored.
      }
    }
    if (sealedWith) {
      Files.move(
          next, keyFile, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    } else {
      Files.delete(next);
    }
  }

  private static Path next(Path keyFile) {
    return keyFile.resolveSibling(keyFile.getFileName() + ".next");
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
    this.keyFile = keyFile;
    if (!Files.exists(keyFile)) {
      // Whole or not at all.
      Path part = keyFile.resolveSibling(keyFile.getFileName() + ".new");
      write(part, fresh());
      Files.move(part, keyFile, StandardCopyOption.ATOMIC_MOVE);
    }
    byte[] bytes = Files.readAllBytes(keyFile);
    if (bytes.length != BYTES) {
      throw new IOException(
          "the master key file "
              + keyFile
              + " holds "
              + bytes.length
              + " bytes, not "
              + BYTES
              + ": restore it from your backup");
    }
    keys = List.of(new SecretKeySpec(bytes, "AES"));
  }

  private byte[] fresh() {
    byte[] key = new byte[BYTES];
    random.nextBytes(key);
    return key;
  }

  /** Writes a file that only its owner can read, onto the disk. */
  private static void write(Path file, byte[] bytes) throws IOException {
    Files.deleteIfExists(file);
    Files.createFile(
        file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    try (FileChannel out = FileChannel.open(file, StandardOpenOption.WRITE)) {
      ByteBuffer all = ByteBuffer.wrap(bytes);
      while (all.hasRemaining()) {
        out.write(all);
      }
      out.force(true);
    }
    try (FileChannel dir = FileChannel.open(file.toAbsolutePath().getParent())) {
      dir.force(true);
    }
  }

  /**
   * Seals a secret that is stored in the caller's transaction; waits while the key is changed, and
   * keeps it from being changed until that transaction ends.
   */
  public byte[] seal(Session s, String name, String secret) {
    s.createNativeQuery(
            "select pg_advisory_xact_lock_shared(hashtextextended(:what, 0))", Object.class)
        .setParameter("what", CHECK)
        .getSingleResult();
    return seal(present(s), name, secret);
  }

  /** Keeps a secret by its name, in place of the one there was; an empty one is kept no longer. */
  public void keep(Session s, String name, String secret) {
    SettingEntity kept = s.find(SettingEntity.class, KEPT + name);
    if (secret.isEmpty()) {
      if (kept != null) {
        s.remove(kept);
      }
      return;
    }
    String sealed = Base64.getEncoder().encodeToString(seal(s, KEPT + name, secret));
    if (kept == null) {
      kept = new SettingEntity();
      kept.name = KEPT + name;
      kept.value = sealed;
      s.persist(kept);
    } else {
      kept.value = sealed;
    }
  }

  /** A secret that is kept by its name. */
  public Optional<String> kept(Session s, String name) {
    return Optional.ofNullable(s.find(SettingEntity.class, KEPT + name))
        .map(k -> open(k.name, Base64.getDecoder().decode(k.value)));
  }

  /** The key that the check is sealed with: after a change whose end is not known, either. */
  private SecretKeySpec present(Session s) {
    byte[] check = check(s);
    for (SecretKeySpec key : keys) {
      try {
        open(List.of(key), CHECK, check);
        return key;
      } catch (IllegalStateException e) {
        // It is the other.
      }
    }
    throw new IllegalStateException("no key of " + keyFile + " is that of this installation");
  }

  private static byte[] check(Session s) {
    SettingEntity check = s.find(SettingEntity.class, CHECK);
    s.refresh(check);
    return Base64.getDecoder().decode(check.value);
  }

  /** Seals something that is not stored, with the key of the file. */
  public byte[] seal(String name, String secret) {
    return seal(keys.get(0), name, secret);
  }

  private byte[] seal(SecretKeySpec key, String name, String secret) {
    try {
      byte[] nonce = new byte[NONCE];
      random.nextBytes(nonce);
      byte[] sealed =
          cipher(key, Cipher.ENCRYPT_MODE, nonce, name)
              .doFinal(secret.getBytes(StandardCharsets.UTF_8));
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
    return open(keys, name, sealed);
  }

  private static String open(List<SecretKeySpec> keys, String name, byte[] sealed) {
    GeneralSecurityException last = null;
    for (SecretKeySpec key : keys) {
      try {
        byte[] nonce = Arrays.copyOf(sealed, NONCE);
        return new String(
            cipher(key, Cipher.DECRYPT_MODE, nonce, name)
                .doFinal(sealed, NONCE, sealed.length - NONCE),
            StandardCharsets.UTF_8);
      } catch (GeneralSecurityException e) {
        last = e;
      }
    }
    throw new IllegalStateException(
        "the secret of " + name + " can't be opened with this master key", last);
  }

  /**
   * Makes another key and seals every secret with it, in one transaction; whoever reads one
   * meanwhile gets it. Gives the number of secrets. Backups from before need the key of before.
   *
   * @param alone refuses, in the same transaction, while another node runs, which would not know
   *     the key
   * @throws ProblemException if the key's file can't be written; nothing is changed then
   */
  public synchronized int change(Db db, java.util.function.Consumer<Session> alone) {
    byte[] bytes = fresh();
    SecretKeySpec fresh = new SecretKeySpec(bytes, "AES");
    Path next = next(keyFile);
    SecretKeySpec former;
    try {
      // An earlier change may have been cut off.
      takeNext(keyFile, db.tx(Vault::check));
      former = new SecretKeySpec(Files.readAllBytes(keyFile), "AES");
      keys = List.of(former);
      write(next, bytes);
    } catch (IOException e) {
      throw new ProblemException(
          507,
          "key-not-written",
          "the key can't be written beside " + keyFile + ": " + e.getMessage(),
          "make room there, and ask again; nothing is changed");
    }
    // Readers meet secrets of both from the commit on, and after one whose answer is lost.
    keys = List.of(former, fresh);
    try {
      int secrets =
          db.tx(
              s -> {
                Db.lock(s, CHECK);
                alone.accept(s);
                List<CredentialEntity> all =
                    Db.query(s, CredentialEntity.class, "from CredentialEntity order by id")
                        .setHibernateLockMode(LockMode.PESSIMISTIC_WRITE)
                        .getResultList();
                for (CredentialEntity c : all) {
                  c.sealed = seal(fresh, c.id, open(c.id, c.sealed));
                }
                List<SettingEntity> kept =
                    Db.query(
                            s,
                            SettingEntity.class,
                            "from SettingEntity where name like ?1",
                            KEPT + "%")
                        .setHibernateLockMode(LockMode.PESSIMISTIC_WRITE)
                        .getResultList();
                for (SettingEntity k : kept) {
                  String secret = open(k.name, Base64.getDecoder().decode(k.value));
                  k.value = Base64.getEncoder().encodeToString(seal(fresh, k.name, secret));
                }
                s.find(SettingEntity.class, CHECK).value =
                    Base64.getEncoder().encodeToString(seal(fresh, CHECK, CHECK));
                return all.size() + kept.size();
              });
      Files.move(
          next, keyFile, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
      return secrets;
    } catch (IOException e) {
      throw new ProblemException(
          507,
          "key-not-renamed",
          "the key was changed, and its file " + next + " can't be renamed: " + e.getMessage(),
          "leave both files where they are; the next start takes the right one");
    }
  }

  private static Cipher cipher(SecretKeySpec key, int mode, byte[] nonce, String name)
      throws GeneralSecurityException {
    Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
    cipher.init(mode, key, new GCMParameterSpec(TAG_BITS, nonce));
    cipher.updateAAD(name.getBytes(StandardCharsets.UTF_8));
    return cipher;
  }
}
