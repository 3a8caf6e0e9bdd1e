package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;

import bargelane.api.AccountAdd;
import bargelane.service.account.Accounts;
import bargelane.service.account.Tokens;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What the first start leaves, whenever it dies. */
class FirstStartTest {

  @TempDir private Path home;
  private TestDatabase database;
  private Db db;
  private Tokens tokens;
  private Accounts accounts;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    tokens = new Tokens(db, mock(Events.class), Clock.systemUTC());
    accounts = new Accounts(db, tokens, Clock.systemUTC());
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
    FirstStart.account(home, accounts, tokens);
    accounts.signIn("engineer", password(), "127.0.0.1");
    assertEquals("engineer", tokens.caller(token(), "127.0.0.1").orElseThrow().account());
    for (String file : new String[] {"sign-in", "token"}) {
      assertEquals(
          "rw-------",
          PosixFilePermissions.toString(Files.getPosixFilePermissions(home.resolve(file))));
    }
  }

  @Test
  void theNextStartChangesNothingAndMakesALostTokenAnew() throws IOException {
    FirstStart.account(home, accounts, tokens);
    String password = password();
    String token = token();
    FirstStart.account(home, accounts, tokens);
    assertEquals(password, password());
    assertEquals(token, token());
    Files.writeString(home.resolve("token"), "damaged");
    FirstStart.account(home, accounts, tokens);
    assertTrue(tokens.caller(token(), "127.0.0.1").isPresent());
  }

  @Test
  void aStartThatDiesOnTheWayLeavesNoAccountWhosePasswordNobodyKnows() throws IOException {
    Accounts dying = spy(accounts);
    doThrow(new IllegalStateException("killed")).when(dying).first(any(), any());
    assertThrows(IllegalStateException.class, () -> FirstStart.account(home, dying, tokens));
    FirstStart.account(home, accounts, tokens);
    accounts.signIn("engineer", password(), "127.0.0.1");
    // It may also die right after the account was made.
    Tokens later = spy(tokens);
    doThrow(new IllegalStateException("killed")).when(later).ofHome(any());
    Files.delete(home.resolve("token"));
    assertThrows(IllegalStateException.class, () -> FirstStart.account(home, accounts, later));
    accounts.signIn("engineer", password(), "127.0.0.1");
  }

  @Test
  void aNodeThatWasNotTheFirstKeepsNoPassword() throws IOException {
    accounts.first("engineer", "of the other node");
    Accounts slow = spy(accounts);
    doReturn(true).when(slow).none();
    FirstStart.account(home, slow, tokens);
    assertFalse(Files.exists(home.resolve("sign-in")));
    accounts.signIn("engineer", "of the other node", "127.0.0.1");
  }

  @Test
  void anAccountThatAKeeperRemovedStaysAway() throws IOException {
    FirstStart.account(home, accounts, tokens);
    accounts.add(new AccountAdd("bea", null, List.of("keeper"), null));
    accounts.remove("engineer");
    FirstStart.account(home, accounts, tokens);
    assertEquals(1, accounts.list().size());
    assertEquals("bea", tokens.caller(token(), "127.0.0.1").orElseThrow().account());
  }
}
