package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class VaultTest {

  @TempDir Path dir;

  @Test
  void aSecretIsOpenedOnlyUnderItsOwnNameAndKey() throws IOException {
    Vault vault = new Vault(dir.resolve("key"));
    byte[] sealed = vault.seal("cred-1", "the token");
    assertEquals(
        "the token", new Vault(dir.resolve("key")).open("cred-1", sealed), "the key is kept");
    assertThrows(
        IllegalStateException.class,
        () -> vault.open("cred-2", sealed),
        "it can't be put in another's place");
    assertThrows(
        IllegalStateException.class, () -> new Vault(dir.resolve("other")).open("cred-1", sealed));
    byte[] bent = sealed.clone();
    bent[bent.length - 1] ^= 1;
    assertThrows(IllegalStateException.class, () -> vault.open("cred-1", bent));
  }

  @Test
  void aKeyThatIsMissingOrAnotherStopsTheStartAndNamesTheRemedy() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      Path key = dir.resolve("key");
      byte[] sealed = Vault.of(key, db).seal("c", "the token");
      assertEquals("the token", Vault.of(key, db).open("c", sealed));
      byte[] right = Files.readAllBytes(key);
      Files.delete(key);
      String missing = assertThrows(IOException.class, () -> Vault.of(key, db)).getMessage();
      assertTrue(missing.contains("is missing: restore it"), missing);
      assertFalse(Files.exists(key), "none is made in its place");
      Files.write(key, new byte[32]);
      String other = assertThrows(IOException.class, () -> Vault.of(key, db)).getMessage();
      assertTrue(other.contains("is not the one"), other);
      Files.write(key, right);
      assertEquals("the token", Vault.of(key, db).open("c", sealed));
    }
  }

  /** An installation of before there was a check. */
  @Test
  void aKeyIsHeldAgainstASecretWhereThereIsNoCheck() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      Path key = dir.resolve("key");
      Vault first = new Vault(key);
      db.run(
          s -> {
            CredentialEntity c = new CredentialEntity();
            c.id = "cred-1";
            c.name = "one";
            c.type = "token";
            c.account = "";
            c.sealed = first.seal("cred-1", "the token");
            c.changedAt = Instant.EPOCH;
            s.persist(c);
          });
      assertThrows(IOException.class, () -> Vault.of(dir.resolve("none"), db));
      Files.write(dir.resolve("other"), new byte[32]);
      assertThrows(IOException.class, () -> Vault.of(dir.resolve("other"), db));
      Vault.of(key, db);
      assertThrows(IOException.class, () -> Vault.of(dir.resolve("other"), db));
    }
  }

  private static void store(Db db, Vault vault, String id) {
    db.run(
        s -> {
          CredentialEntity c = new CredentialEntity();
          c.id = id;
          c.name = id;
          c.sealed = vault.seal(s, id, "the secret of " + id);
          c.changedAt = Instant.EPOCH;
          s.persist(c);
        });
  }

  private static String read(Db db, Vault vault, String id) {
    return db.tx(s -> vault.open(id, s.find(CredentialEntity.class, id).sealed));
  }

  @Test
  void theKeyIsChangedUnderWhoeverReadsAndSeals() throws Exception {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      Path key = dir.resolve("key");
      Vault vault = Vault.of(key, db);
      store(db, vault, "cred-0");
      byte[] first = Files.readAllBytes(key);
      AtomicBoolean over = new AtomicBoolean();
      CompletableFuture<Integer> others =
          CompletableFuture.supplyAsync(
              () -> {
                int n = 0;
                do {
                  assertEquals("the secret of cred-" + n, read(db, vault, "cred-" + n));
                  n++;
                  store(db, vault, "cred-" + n);
                } while (!over.get());
                return n;
              });
      for (int i = 0; i < 5; i++) {
        vault.change(db, s -> {});
      }
      over.set(true);
      int stored = others.get();
      assertFalse(Arrays.equals(first, Files.readAllBytes(key)));
      assertFalse(Files.exists(dir.resolve("key.next")));
      Vault again = Vault.of(key, db);
      for (int i = 0; i <= stored; i++) {
        assertEquals("the secret of cred-" + i, read(db, again, "cred-" + i));
      }
    }
  }

  @Test
  void aChangeThatIsCutOffEndsAtTheNextStartWhereverItWas() throws Exception {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      Path key = dir.resolve("key");
      Path next = dir.resolve("key.next");
      Vault vault = Vault.of(key, db);
      store(db, vault, "cred-1");
      byte[] former = Files.readAllBytes(key);
      // Cut off before the commit: the key of before stays, and who goes on seals with it.
      assertThrows(
          IllegalArgumentException.class,
          () ->
              vault.change(
                  db,
                  s -> {
                    throw new IllegalArgumentException("another node runs");
                  }));
      assertTrue(Files.exists(next));
      store(db, vault, "cred-2");
      Vault second = Vault.of(key, db);
      assertFalse(Files.exists(next));
      assertArrayEquals(former, Files.readAllBytes(key));
      // Cut off after it: both files lie there.
      second.change(db, s -> {});
      byte[] fresh = Files.readAllBytes(key);
      Files.write(next, fresh);
      Files.write(key, former);
      Vault third = Vault.of(key, db);
      assertArrayEquals(fresh, Files.readAllBytes(key));
      assertFalse(Files.exists(next));
      for (String id : List.of("cred-1", "cred-2")) {
        assertEquals("the secret of " + id, read(db, third, id));
      }
    }
  }

  @Test
  void theSealTellsNothingAndIsNeverTheSame() throws IOException {
    Vault vault = new Vault(dir.resolve("key"));
    byte[] first = vault.seal("c", "the token");
    assertFalse(Arrays.equals(first, vault.seal("c", "the token")));
    assertFalse(new String(first, StandardCharsets.ISO_8859_1).contains("token"));
  }

  @Test
  void theKeyFileIsItsOwnersOnlyAndADamagedOneIsNamed() throws IOException {
    Path key = dir.resolve("key");
    new Vault(key);
    assertEquals("rw-------", PosixFilePermissions.toString(Files.getPosixFilePermissions(key)));
    Files.write(key, new byte[5]);
    assertEquals(
        true,
        assertThrows(IOException.class, () -> new Vault(key))
            .getMessage()
            .contains(key.toString()));
  }
}
