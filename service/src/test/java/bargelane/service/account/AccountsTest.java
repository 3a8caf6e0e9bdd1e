package bargelane.service.account;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Who may call, on a real database. */
class AccountsTest {

  private final Clock clock = mock(Clock.class);
  private Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private TestDatabase database;
  private Db db;
  private Accounts accounts;

  @BeforeEach
  void open() throws IOException {
    when(clock.instant()).thenAnswer(x -> now);
    database = TestDatabase.open();
    db = database.db();
    accounts = new Accounts(db, clock);
    assertTrue(accounts.ensure("ada", "a long password"));
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  private void refused(String name, String password) {
    ProblemException e =
        assertThrows(ProblemException.class, () -> accounts.signIn(name, password));
    assertEquals(401, e.status());
    assertEquals("the account or the password is wrong", e.getMessage());
  }

  @Test
  void anAccountThatIsThereKeepsItsPassword() {
    assertFalse(accounts.ensure("ada", "another"));
    accounts.signIn("ada", "a long password");
    refused("ada", "another");
  }

  @Test
  void ofTwoNodesThatStartAtOnceOneMakesTheFirstAccount() throws Exception {
    assertEquals(List.of("done", "done"), AtOnce.fare(2, () -> accounts.ensure("bea", "first")));
    accounts.signIn("bea", "first");
  }

  @Test
  void aWrongPasswordAndAnUnknownAccountAreToldAlike() {
    refused("ada", "wrong");
    refused("ada", "");
    refused("nobody", "a long password");
    refused("' or '1' = '1", "a long password");
  }

  @Test
  void aSessionEndsAfterTwelveHoursAndATokenDoesNot() {
    Accounts.Session session = accounts.signIn("ada", "a long password");
    String token = accounts.token("ada");
    assertEquals(
        Optional.of(new Accounts.Caller("ada", "session", session.csrf())),
        accounts.caller(session.secret()));
    now = now.plus(Duration.ofHours(12)).minusSeconds(1);
    assertTrue(accounts.caller(session.secret()).isPresent());
    now = now.plusSeconds(1);
    assertEquals(Optional.empty(), accounts.caller(session.secret()));
    now = now.plus(Duration.ofDays(365));
    assertEquals(Optional.of(new Accounts.Caller("ada", "token", "")), accounts.caller(token));
  }

  @Test
  void whoSignsOutEndsThatSessionOnly() {
    Accounts.Session one = accounts.signIn("ada", "a long password");
    Accounts.Session other = accounts.signIn("ada", "a long password");
    assertNotEquals(one.secret(), other.secret());
    accounts.signOut(one.secret());
    accounts.signOut("never issued");
    assertEquals(Optional.empty(), accounts.caller(one.secret()));
    assertTrue(accounts.caller(other.secret()).isPresent());
  }

  @Test
  void noSecretIsInTheDatabase() {
    Accounts.Session session = accounts.signIn("ada", "a long password");
    String token = accounts.token("ada");
    String all =
        db.tx(
            s ->
                s.createNativeQuery("select t::text from token t", String.class).list()
                    + " "
                    + s.createNativeQuery("select a::text from account a", String.class).list());
    for (String secret : new String[] {session.secret(), token, "a long password"}) {
      assertFalse(all.contains(secret), all);
    }
    assertEquals(Optional.empty(), accounts.caller(""));
    assertEquals(
        "user-unknown",
        assertThrows(ProblemException.class, () -> accounts.token("nobody")).code());
  }

  @Test
  void sessionsEndAndATokenDoesNot() {
    assertTrue(accounts.ensure("mate", "correct"));
    assertTrue(
        !accounts.ensure("mate", "other"),
        "an account's password is not replaced by a second start");
    String secret = accounts.signIn("mate", "correct").secret();
    String token = accounts.token("mate");
    assertEquals("mate", accounts.caller(secret).orElseThrow().account());
    now = now.plus(Duration.ofHours(13));
    assertTrue(accounts.caller(secret).isEmpty(), "a session ends after 12 hours");
    assertEquals("token", accounts.caller(token).orElseThrow().kind());
    accounts.signOut(token);
    assertTrue(accounts.caller(token).isEmpty());
  }
}
