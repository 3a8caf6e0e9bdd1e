package bargelane.service.site;

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
