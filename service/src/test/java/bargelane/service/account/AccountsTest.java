package bargelane.service.account;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.api.AccountAdd;
import bargelane.api.AccountEdit;
import bargelane.api.TokenAdd;
import bargelane.api.TokenView;
import bargelane.core.account.Role;
import bargelane.service.event.Events;
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
import java.util.Set;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;

/** Who may call and do what, on a real database. */
class AccountsTest {

  private static final String PASSWORD = "a long enough one";
  private static final String HERE = "192.0.2.7";
  private static final String THERE = "198.51.100.9";

  private final Clock clock = mock(Clock.class);
  private Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private TestDatabase database;
  private Db db;
  private Tokens tokens;
  private Accounts accounts;

  @BeforeEach
  void open() throws IOException {
    when(clock.instant()).thenAnswer(x -> now);
    database = TestDatabase.open();
    db = database.db();
    tokens = new Tokens(db, mock(Events.class), clock);
    accounts = new Accounts(db, tokens, clock);
    assertTrue(accounts.first("ada", PASSWORD));
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  private static ProblemException refused(Executable call) {
    return assertThrows(ProblemException.class, call);
  }

  private void wrong(String name, String password) {
    ProblemException e = refused(() -> accounts.signIn(name, password, HERE));
    assertEquals(401, e.status());
    assertEquals("the account or the password is wrong", e.getMessage());
  }

  private Caller signedIn(String name) {
    Tokens.Secret secret = accounts.signIn(name, PASSWORD, HERE);
    return tokens.caller(secret.secret(), HERE).orElseThrow();
  }

  private void add(String name, String... roles) {
    accounts.add(new AccountAdd(name, PASSWORD, List.of(roles), null));
  }

  @Test
  void thereIsOneFirstAccount() throws Exception {
    assertFalse(accounts.first("ada", "another one of these"));
    assertFalse(accounts.first("bea", "another one of these"));
    signedIn("ada");
    assertEquals(Role.ofPeople(), signedIn("ada").roles());
    db.run(s -> Db.change(s, "delete from TokenEntity"));
    db.run(s -> Db.change(s, "delete from AccountEntity"));
    assertEquals(List.of("done", "done"), AtOnce.fare(2, () -> accounts.first("bea", PASSWORD)));
    signedIn("bea");
  }

  @Test
  void aWrongPasswordAndAnUnknownAccountAreToldAlike() {
    wrong("ada", "wrong");
    wrong("nobody", PASSWORD);
    wrong("' or '1' = '1", PASSWORD);
    now = now.plusSeconds(70);
    wrong("ada", "x".repeat(10_000));
    now = now.plusSeconds(70);
    wrong("ada", "with\0zero");
  }

  @Test
  void whoGuessesWaitsLongerEachTimeAndNobodyElseDoes() {
    signedIn("ada");
    for (int i = 0; i < 3; i++) {
      ProblemException e = refused(() -> accounts.signIn("ada", "wrong", THERE));
      assertEquals("sign-in-refused", e.code());
    }
    ProblemException held = refused(() -> accounts.signIn("ada", PASSWORD, THERE));
    assertEquals("sign-in-waits", held.code());
    assertEquals(429, held.status());
    assertTrue(held.retryAfter() >= 1);
    signedIn("ada");
    long before = 0;
    for (int i = 0; i < 8; i++) {
      now = now.plusSeconds(held.retryAfter());
      refused(() -> accounts.signIn("ada", "wrong", THERE));
      held = refused(() -> accounts.signIn("ada", "wrong", THERE));
      assertEquals("sign-in-waits", held.code());
      assertTrue(held.retryAfter() >= before, held.retryAfter() + " after " + before);
      before = held.retryAfter();
    }
    assertTrue(before >= 60 && before <= 61, "the wait has a limit: " + before);
    signedIn("ada");
    now = now.plusSeconds(61);
    accounts.signIn("ada", PASSWORD, THERE);
    // Other accounts are still guarded against that address.
    assertEquals(429, refused(() -> accounts.signIn("bea", PASSWORD, THERE)).status());
  }

  @Test
  void guessesOfManyAccountsFromOneAddressWaitAndThoseAtOneAccountFromManyDoLittleHarm() {
    for (int i = 0; i < 10; i++) {
      String name = "guess" + i;
      assertEquals(401, refused(() -> accounts.signIn(name, PASSWORD, THERE)).status());
    }
    assertEquals(429, refused(() -> accounts.signIn("guess99", PASSWORD, THERE)).status());
    signedIn("ada");
    for (int i = 0; i < 40; i++) {
      String from = "203.0.113." + i;
      refused(() -> accounts.signIn("ada", "wrong", from));
      now = now.plusSeconds(1);
    }
    // An address that the account is known from is not held; another one waits a few seconds.
    signedIn("ada");
    long wait = refused(() -> accounts.signIn("ada", PASSWORD, "192.0.2.200")).retryAfter();
    assertTrue(wait <= 6, "waits " + wait);
    now = now.plusSeconds(wait);
    accounts.signIn("ada", PASSWORD, "192.0.2.200");
  }

  @Test
  void guessesAtTheSameTimeAreAsManyTries() throws Exception {
    List<String> told = AtOnce.fare(20, () -> accounts.signIn("ada", "wrong", THERE));
    long looked = told.stream().filter(t -> t.contains("sign-in-refused")).count();
    assertTrue(looked <= 3, told.toString());
  }

  @Test
  void whoeverHasAWholeSubnetOfIpv6HasOneAddress() {
    for (int i = 0; i < 10; i++) {
      String name = "guess" + i;
      String from = "2001:db8::" + i;
      assertEquals(401, refused(() -> accounts.signIn(name, PASSWORD, from)).status());
    }
    assertEquals(
        429, refused(() -> accounts.signIn("guess", PASSWORD, "2001:db8::ffff:1")).status());
    assertEquals(
        401, refused(() -> accounts.signIn("guess", PASSWORD, "2001:db8:0:1::1")).status());
    // A name that is none and an address that is none are counted too.
    assertEquals(401, refused(() -> accounts.signIn("\ud800 x", PASSWORD, "?")).status());
  }

  @Test
  void aClockThatStepsBackHoldsNobody() {
    for (int i = 0; i < 3; i++) {
      refused(() -> accounts.signIn("ada", "wrong", THERE));
    }
    now = now.minus(Duration.ofDays(2));
    accounts.signIn("ada", PASSWORD, THERE);
  }

  @Test
  void aSessionEndsAfterTwelveHoursATokenWhenItSaysAndThatOfTheHomeNever() {
    Tokens.Secret session = accounts.signIn("ada", PASSWORD, HERE);
    Caller ada = tokens.caller(session.secret(), HERE).orElseThrow();
    String home = tokens.ofHome("ada");
    String usual = tokens.add(new TokenAdd("usual", null, null, null, null), ada).secret();
    String brief = tokens.add(new TokenAdd("brief", null, null, 60L, null), ada).secret();
    assertEquals(Caller.Kind.SESSION, ada.kind());
    assertEquals(session.csrf(), ada.csrf());
    now = now.plusSeconds(60);
    assertEquals(Optional.empty(), tokens.caller(brief, HERE));
    now = now.plus(Duration.ofHours(12));
    assertEquals(Optional.empty(), tokens.caller(session.secret(), HERE));
    now = now.plus(Duration.ofDays(89));
    assertTrue(tokens.caller(usual, HERE).isPresent());
    now = now.plus(Duration.ofDays(1));
    assertEquals(Optional.empty(), tokens.caller(usual, HERE));
    assertEquals(Caller.Kind.HOME, tokens.caller(home, HERE).orElseThrow().kind());
  }

  @Test
  void aTokenDoesNoMoreThanItsAccountAndWhoeverMadeIt() {
    add("bea", "mover", "planner");
    Caller bea = signedIn("bea");
    String narrow =
        tokens.add(new TokenAdd("ci", null, List.of("mover"), null, null), bea).secret();
    Caller program = tokens.caller(narrow, HERE).orElseThrow();
    assertEquals(Set.of(Role.MOVER), program.roles());
    assertEquals(
        403,
        refused(() -> tokens.add(new TokenAdd("x", null, null, null, null), program)).status());
    assertEquals(
        "token-exceeds-account",
        refused(() -> tokens.add(new TokenAdd("x", null, List.of("keeper"), null, null), bea))
            .code());
    assertEquals(
        403, refused(() -> tokens.add(new TokenAdd("x", "ada", null, null, null), bea)).status());
    assertEquals(
        403, refused(() -> tokens.add(new TokenAdd("x", null, null, null, "t"), bea)).status());
    // What the account loses its tokens lose.
    accounts.edit("bea", new AccountEdit(null, List.of("planner"), null));
    assertEquals(Set.of(), tokens.caller(narrow, HERE).orElseThrow().roles());
  }

  @Test
  void tokensAreListedWithTheirUseAndRevokedByTheirOwnerOrAKeeper() {
    add("bea", "reader");
    add("cleo", "reader");
    Caller ada = signedIn("ada");
    Caller bea = signedIn("bea");
    Caller cleo = signedIn("cleo");
    String secret = tokens.add(new TokenAdd("graphs", null, null, null, null), bea).secret();
    tokens.caller(secret, THERE);
    TokenView listed =
        tokens.list("", bea).stream().filter(t -> t.name().equals("graphs")).findFirst().get();
    assertEquals(THERE, listed.usedFrom());
    assertEquals(List.of("reader"), listed.roles());
    assertFalse(listed.present());
    assertTrue(tokens.list("", bea).stream().anyMatch(TokenView::present));
    assertEquals(2, tokens.list("bea", ada).size());
    assertEquals(403, refused(() -> tokens.list("bea", cleo)).status());
    assertEquals(404, refused(() -> tokens.revoke(listed.id(), cleo)).status());
    assertTrue(tokens.caller(secret, HERE).isPresent());
    tokens.revoke(listed.id(), ada);
    assertEquals(Optional.empty(), tokens.caller(secret, HERE));
    tokens.revoke(bea.token(), bea);
    assertFalse(tokens.valid(bea));
    assertTrue(tokens.valid(cleo));
  }

  @Test
  void aTugsTokenIsForLeasesOnly() {
    Caller ada = signedIn("ada");
    String secret = tokens.add(new TokenAdd("far", null, null, null, "far-tug"), ada).secret();
    Caller tug = tokens.caller(secret, HERE).orElseThrow();
    assertEquals(Set.of(Role.TUG), tug.roles());
    assertEquals(Optional.of("far-tug"), tug.tug());
  }

  @Test
  void aNewPasswordIsStrongAndEndsOtherSessions() {
    Caller one = signedIn("ada");
    Caller other = signedIn("ada");
    for (String weak :
        List.of(
            "short", "aaaaaaaaaaaaaaaa", "my name is ADA 1", "ü".repeat(37), "x\0abcdefghijkl")) {
      assertEquals(
          "password-weak",
          refused(() -> accounts.changePassword(one, PASSWORD, weak)).code(),
          weak);
    }
    assertEquals(
        "password-wrong",
        refused(() -> accounts.changePassword(one, "wrong", "quite another one")).code());
    accounts.changePassword(one, PASSWORD, "quite another one");
    assertTrue(tokens.valid(one));
    assertFalse(tokens.valid(other));
    wrong("ada", PASSWORD);
    accounts.signIn("ada", "quite another one", HERE);
  }

  @Test
  void whoKnowsASessionDoesNotGuessItsPassword() {
    Caller ada = signedIn("ada");
    for (int i = 0; i < 3; i++) {
      refused(() -> accounts.changePassword(ada, "guess", "quite another one"));
    }
    assertEquals(
        429, refused(() -> accounts.changePassword(ada, PASSWORD, "quite another one")).status());
  }

  @Test
  void oneKeeperStays() {
    add("bea", "keeper");
    accounts.edit("ada", new AccountEdit(null, List.of("reader"), null));
    assertEquals("last-keeper", refused(() -> accounts.remove("bea")).code());
    assertEquals(
        "last-keeper",
        refused(() -> accounts.edit("bea", new AccountEdit(null, List.of("mover"), null))).code());
    assertEquals("bea", accounts.oldestKeeper());
    accounts.edit("ada", new AccountEdit(null, List.of("keeper"), null));
    Caller bea = signedIn("bea");
    accounts.remove("bea");
    assertFalse(tokens.valid(bea));
    assertEquals(404, refused(() -> accounts.remove("bea")).status());
  }

  @Test
  void ofTwoKeepersWhoRemoveEachOtherAtOnceOneStays() throws Exception {
    add("bea", "keeper");
    String[] names = {"ada", "bea"};
    java.util.concurrent.atomic.AtomicInteger turn =
        new java.util.concurrent.atomic.AtomicInteger();
    List<String> told =
        AtOnce.fare(
            2,
            () -> {
              accounts.remove(names[turn.getAndIncrement()]);
              return 0;
            });
    assertEquals(1, told.stream().filter("done"::equals).count(), told.toString());
    assertEquals(1, accounts.list().size());
  }

  @Test
  void accountsThatCanNotBeAreRefused() {
    assertEquals("account-exists", refused(() -> add("Ada", "reader")).code());
    assertEquals("account-name-invalid", refused(() -> add("a b", "reader")).code());
    assertEquals("account-name-invalid", refused(() -> add("=cmd", "reader")).code());
    assertEquals("role-unknown", refused(() -> add("bea", "captain")).code());
    assertEquals("role-unknown", refused(() -> add("bea", "tug")).code());
    assertEquals("role-missing", refused(() -> add("bea")).code());
    String made = accounts.add(new AccountAdd("bea", null, List.of("reader"), null)).password();
    accounts.signIn("bea", made, HERE);
    assertNotEquals(
        made, accounts.add(new AccountAdd("cleo", "", List.of("reader"), null)).password());
  }

  @Test
  void tokensOfAProvidersPersonLapseWhenItLongToldNothing() {
    Rights rights = Rights.asked("crew", List.of("reader"), "");
    Tokens.Secret first =
        accounts.signInThroughProvider("https://p", "s-1", "pia", Optional.of(rights), HERE);
    Caller pia = tokens.caller(first.secret(), HERE).orElseThrow();
    String token =
        tokens
            .add(new TokenAdd("t", null, null, Duration.ofDays(300).toSeconds(), null), pia)
            .secret();
    now = now.plus(Duration.ofDays(29));
    assertTrue(tokens.caller(token, HERE).isPresent());
    now = now.plus(Duration.ofDays(2));
    assertFalse(tokens.caller(token, HERE).isPresent());
    accounts.signInThroughProvider("https://p", "s-1", "pia", Optional.of(rights), HERE);
    assertTrue(tokens.caller(token, HERE).isPresent(), "as soon as it has told again");
    assertEquals(
        "account-exists",
        refused(
                () ->
                    accounts.signInThroughProvider(
                        "https://p", "s-2", "pia", Optional.of(rights), HERE))
            .code(),
        "a name that was given to somebody else");
  }

  @Test
  void aKeeperWhomAProviderSignsInIsNotTheLastOne() {
    Rights keeper = Rights.asked("crew", List.of("keeper"), "");
    accounts.signInThroughProvider("https://p", "s-1", "pia", Optional.of(keeper), HERE);
    assertEquals("last-keeper", refused(() -> accounts.remove("ada")).code());
    accounts.signInThroughProvider(
        "https://p", "s-1", "Pia, by another name", Optional.of(keeper), HERE);
    assertEquals(
        List.of("ada", "pia"), accounts.list().stream().map(a -> a.name()).sorted().toList());
    accounts.remove("pia");
  }

  @Test
  void noSecretIsInTheDatabase() {
    Tokens.Secret session = accounts.signIn("ada", PASSWORD, HERE);
    String token = tokens.ofHome("ada");
    String all =
        db.tx(
            s ->
                s.createNativeQuery("select t::text from token t", String.class).list()
                    + " "
                    + s.createNativeQuery("select a::text from account a", String.class).list());
    for (String secret : new String[] {session.secret(), token, PASSWORD}) {
      assertFalse(all.contains(secret), all);
    }
    assertEquals(Optional.empty(), tokens.caller("", HERE));
    assertEquals("account-unknown", refused(() -> tokens.ofHome("nobody")).code());
  }
}
