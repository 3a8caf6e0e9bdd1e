package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.spy;

import bargelane.service.account.Accounts;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What the first start leaves, whenever it dies. */
class FirstStartTest {

  @TempDir private Path home;
  private TestDatabase database;
  private Db db;
  private Accounts accounts;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    accounts = new Accounts(db, Clock.systemUTC());
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  private String password() throws IOException {
    return Files.readAllLines(home.resolve("sign-in")).get(1).substring("password: ".length());
  }

  private String token() throws IOException {
    return Files.readString(home.resolve("token")).strip();
  }

  @Test
  void theFirstAccountsPasswordAndTokenAreForTheOwnersEyesOnly() throws IOException {
    FirstStart.account(home, accounts);
    accounts.signIn("engineer", password());
    assertEquals("engineer", accounts.caller(token()).orElseThrow().account());
    for (String file : new String[] {"sign-in", "token"}) {
      assertEquals(
          "rw-------",
          PosixFilePermissions.toString(Files.getPosixFilePermissions(home.resolve(file))));
    }
  }

  @Test
  void theNextStartChangesNothingAndMakesALostTokenAnew() throws IOException {
    FirstStart.account(home, accounts);
    String password = password();
    String token = token();
    FirstStart.account(home, accounts);
    assertEquals(password, password());
    assertEquals(token, token());
    Files.writeString(home.resolve("token"), "damaged");
    FirstStart.account(home, accounts);
    assertTrue(accounts.caller(token()).isPresent());
  }

  @Test
  void aStartThatDiesOnTheWayLeavesNoAccountWhosePasswordNobodyKnows() throws IOException {
    Accounts dying = spy(accounts);
    doThrow(new IllegalStateException("killed")).when(dying).ensure(any(), any());
    assertThrows(IllegalStateException.class, () -> FirstStart.account(home, dying));
    FirstStart.account(home, accounts);
    accounts.signIn("engineer", password());
    // It may also die right after the account was made.
    Accounts later = spy(accounts);
    doThrow(new IllegalStateException("killed")).when(later).token(any());
    Files.delete(home.resolve("token"));
    assertThrows(IllegalStateException.class, () -> FirstStart.account(home, later));
    accounts.signIn("engineer", password());
  }

  @Test
  void aNodeThatWasNotTheFirstKeepsNoPassword() throws IOException {
    accounts.ensure("engineer", "of the other node");
    Accounts slow = spy(accounts);
    doReturn(false).when(slow).has("engineer");
    FirstStart.account(home, slow);
    assertFalse(Files.exists(home.resolve("sign-in")));
    accounts.signIn("engineer", "of the other node");
  }
}
