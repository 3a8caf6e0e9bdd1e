package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
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
