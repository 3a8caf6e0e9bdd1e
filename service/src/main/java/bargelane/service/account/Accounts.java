package bargelane.service.account;

import at.favre.lib.crypto.bcrypt.BCrypt;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Upkeep;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.time.Duration;
import java.util.HexFormat;
import java.util.Optional;

/**
 * Local accounts, sessions of the console, tokens of programs. Secrets are kept as digests only.
 */
public final class Accounts {

  /** Deletes tokens that are no longer valid; see {@link Upkeep}. */
  public static final String TIDY = "delete from token where expires_at < ?1";

  /** Who calls: an account, by a session with its CSRF value or by a token. */
  public record Caller(String account, String kind, String csrf) {}

  private static final int COST = 10;
  private static final Duration SESSION = Duration.ofHours(12);

  private final Db db;
  private final Clock clock;

  /** A well-formed hash that no password is known for. */
  private static final String NOBODY = "$2a$" + COST + "$" + ".".repeat(53);

  public Accounts(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  private static String digest(String secret) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(secret.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Optional<AccountEntity> named(org.hibernate.Session s, String name) {
    return Db.first(s, AccountEntity.class, "from AccountEntity where name = ?1", name);
  }

  /** Whether there is an account of that name. */
  public boolean has(String name) {
    return db.tx(s -> named(s, name)).isPresent();
  }

  /** Makes the account if there is none of that name; says whether it did. */
  public boolean ensure(String name, String password) {
    return db.tx(
        s -> {
          Db.lock(s, "account " + name);
          if (named(s, name).isPresent()) {
            return false;
          }
          AccountEntity a = new AccountEntity();
          a.id = Ids.next("acc");
          a.name = name;
          a.passwordHash = BCrypt.withDefaults().hashToString(COST, password.toCharArray());
          a.createdAt = clock.instant();
          s.persist(a);
          return true;
        });
  }

  /** A new session for the right password: its secret and its CSRF value. */
  public record Session(String secret, String csrf) {}

  public Session signIn(String name, String password) {
    Optional<AccountEntity> account = db.tx(s -> named(s, name));
    // The same work whether the account exists or not, so that the time does not tell.
    boolean right =
        BCrypt.verifyer()
            .verify(password.toCharArray(), account.map(a -> a.passwordHash).orElse(NOBODY))
            .verified;
    if (account.isEmpty() || !right) {
      throw new ProblemException(
          401,
          "sign-in-refused",
          "the account or the password is wrong",
          "try again; the first account's password is in the file 'sign-in' of the service's home");
    }
    String csrf = Ids.secret();
    return new Session(issue(account.get().id, "session", csrf, SESSION), csrf);
  }

  private String issue(String account, String kind, String csrf, Duration life) {
    String secret = Ids.secret();
    db.run(
        s -> {
          TokenEntity t = new TokenEntity();
          t.hash = digest(secret);
          t.accountId = account;
          t.kind = kind;
          t.csrf = csrf;
          t.expiresAt = life == null ? null : clock.instant().plus(life);
          s.persist(t);
        });
    return secret;
  }

  /** A new token for a program of an account. */
  public String token(String account) {
    String id =
        db.tx(s -> named(s, account))
            .orElseThrow(() -> ProblemException.missing("user", account))
            .id;
    return issue(id, "token", "", null);
  }

  public void signOut(String secret) {
    db.run(s -> Db.change(s, "delete from TokenEntity where hash = ?1", digest(secret)));
  }

  /** Who a secret belongs to. */
  public Optional<Caller> caller(String secret) {
    return db.tx(
        s ->
            Optional.ofNullable(s.find(TokenEntity.class, digest(secret)))
                .filter(t -> t.expiresAt == null || t.expiresAt.isAfter(clock.instant()))
                .map(
                    t ->
                        new Caller(s.find(AccountEntity.class, t.accountId).name, t.kind, t.csrf)));
  }
}
