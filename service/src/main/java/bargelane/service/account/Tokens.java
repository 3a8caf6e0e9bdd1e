package bargelane.service.account;

import bargelane.api.TokenAdd;
import bargelane.api.TokenAdded;
import bargelane.api.TokenView;
import bargelane.core.account.Need;
import bargelane.core.account.Role;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Upkeep;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.EnumSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.hibernate.Session;

/** Sessions of the console and tokens of programs. Secrets are kept as digests only. */
public final class Tokens {

  /** Deletes what is no longer valid; see {@link Upkeep}. */
  public static final List<String> TIDY =
      List.of("delete from token where expires_at < ?1", SignIns.TIDY);

  /** Ends all sessions after a restore, in the caller's transaction: some may have ended since. */
  public static void restored(Session s) {
    Db.change(s, "delete from TokenEntity where kind = ?1", "session");
  }

  private static final Duration SESSION = Duration.ofHours(12);
  private static final Duration USUAL_LIFE = Duration.ofDays(90);
  private static final Duration LONGEST_LIFE = Duration.ofDays(366);

  /** Tokens of somebody whom a provider signs in count so long after they last signed in. */
  private static final Duration CONFIRMED = Duration.ofDays(30);

  /** That it was used is stored no more often. */
  private static final Duration USE = Duration.ofMinutes(1);

  private static final int LONGEST_NAME = 64;
  private static final int MOST = 200;

  /** What is told once. */
  public record Secret(String secret, String csrf) {}

  private final Db db;
  private final Events events;
  private final Clock clock;
  private final AtomicLong ended = new AtomicLong();

  public Tokens(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** How often this node has ended sessions or tokens: whoever reads events looks again. */
  public long ended() {
    return ended.get();
  }

  /** Has readers of events see at once that a session or token has ended. */
  void tellEnded() {
    ended.incrementAndGet();
    events.ring();
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

  Secret session(String accountId, String address) {
    String secret = Ids.secret();
    String csrf = Ids.secret();
    db.run(
        s -> {
          TokenEntity t = fresh(accountId, "session", secret, Optional.of(SESSION));
          t.csrf = csrf;
          t.usedAt = t.createdAt;
          t.usedFrom = address;
          s.persist(t);
        });
    return new Secret(secret, csrf);
  }

  private TokenEntity fresh(String accountId, String kind, String secret, Optional<Duration> life) {
    TokenEntity t = new TokenEntity();
    t.hash = digest(secret);
    t.id = Ids.next("tok");
    t.name = "";
    t.accountId = accountId;
    t.kind = kind;
    t.csrf = "";
    t.roles = "";
    t.createdAt = clock.instant();
    t.expiresAt = life.map(t.createdAt::plus).orElse(null);
    return t;
  }

  /** The token that the launcher keeps in the home; valid until it is revoked. */
  public String ofHome(String account) {
    String secret = Ids.secret();
    db.run(
        s -> {
          TokenEntity t = fresh(Accounts.known(s, account).id, "home", secret, Optional.empty());
          t.name = "launcher";
          s.persist(t);
        });
    return secret;
  }

  /**
   * Makes a token.
   *
   * @throws ProblemException 403 if the caller comes with a token that is not the home's, so that
   *     one that is stolen ends when it is revoked; or if it is for another account or for a tug,
   *     and the caller keeps no accounts. 422 if its name, roles or life can't be
   */
  public TokenAdded add(TokenAdd asked, Caller caller) {
    if (caller.kind() == Caller.Kind.TOKEN) {
      throw new ProblemException(
          403,
          "token-makes-none",
          "a token can't make tokens",
          "sign in to the console, or use the command line on the service's host");
    }
    String name = asked.name() == null ? "" : asked.name().strip();
    if (name.isEmpty() || name.length() > LONGEST_NAME) {
      throw ProblemException.invalid(
          "token-name-invalid",
          "a token needs a name of 1 to " + LONGEST_NAME + " characters",
          "say what it is for");
    }
    String account = asked.account() == null ? caller.account() : asked.account();
    boolean tug = asked.tug() != null && !asked.tug().isBlank();
    if (tug || !account.equals(caller.account())) {
      mustKeep(caller);
    }
    Duration life =
        asked.lifeSeconds() == null ? USUAL_LIFE : Duration.ofSeconds(asked.lifeSeconds());
    if (life.isNegative() || life.isZero() || life.compareTo(LONGEST_LIFE) > 0) {
      throw ProblemException.invalid(
          "token-life-invalid",
          "a token can't be valid for " + asked.lifeSeconds() + " s",
          "give 1 s to " + LONGEST_LIFE.toDays() + " days");
    }
    Set<Role> roles = asked.roles() == null ? Set.of() : Roles.asked(asked.roles());
    String secret = Ids.secret();
    return db.tx(
        s -> {
          AccountEntity owner = Accounts.known(s, account);
          Set<Role> may = Roles.stored(owner.roles);
          if (!may.containsAll(roles)) {
            throw ProblemException.invalid(
                "token-exceeds-account",
                "a token can't have more roles than " + owner.name + " has: " + Roles.words(may),
                "give some of these");
          }
          if (valid(s, owner.id).size() >= MOST) {
            throw ProblemException.conflict(
                "tokens-too-many",
                owner.name + " has " + MOST + " sessions and tokens",
                "revoke those that nobody uses");
          }
          TokenEntity t = fresh(owner.id, tug ? "tug" : "token", secret, Optional.of(life));
          t.name = name;
          t.roles = Roles.words(roles);
          t.tug = tug ? asked.tug().strip() : null;
          s.persist(t);
          return new TokenAdded(view(t, owner, ""), secret);
        });
  }

  private static void mustKeep(Caller caller) {
    if (!caller.may(Need.KEEP)) {
      throw ProblemException.notAllowed(
          caller.account() + " may not have tokens and sessions of others, or of tugs",
          "ask a keeper");
    }
  }

  /**
   * Sessions and tokens that are valid, the last one used first.
   *
   * @param account whose; empty for the caller's own
   */
  public List<TokenView> list(String account, Caller caller) {
    String of = account.isEmpty() ? caller.account() : account;
    if (!of.equals(caller.account())) {
      mustKeep(caller);
    }
    return db.tx(
        s -> {
          AccountEntity owner = Accounts.known(s, of);
          return valid(s, owner.id).stream().map(t -> view(t, owner, caller.token())).toList();
        });
  }

  List<TokenEntity> valid(Session s, String accountId) {
    return Db.list(
        s,
        TokenEntity.class,
        "from TokenEntity where accountId = ?1 and (expiresAt is null or expiresAt > ?2)"
            + " order by usedAt desc nulls last, createdAt desc, id",
        accountId,
        clock.instant());
  }

  private static TokenView view(TokenEntity t, AccountEntity owner, String present) {
    return new TokenView(
        t.id,
        t.name,
        owner.name,
        t.kind,
        Roles.list(roles(t, owner)),
        t.tug,
        t.createdAt,
        t.expiresAt,
        t.usedAt,
        t.usedFrom,
        t.id.equals(present));
  }

  /** What a token may do now: what its account has lost it has lost too. */
  private static Set<Role> roles(TokenEntity t, AccountEntity owner) {
    if (t.kind.equals("tug")) {
      return EnumSet.of(Role.TUG);
    }
    Set<Role> roles = Roles.stored(owner.roles);
    if (!t.roles.isEmpty()) {
      roles.retainAll(Roles.stored(t.roles));
    }
    return roles;
  }

  /** A session or token of the caller's, or, for a keeper, of anybody. */
  public TokenView view(String id, Caller caller) {
    return db.tx(
        s -> {
          TokenEntity t = theirs(s, id, caller);
          return view(t, s.find(AccountEntity.class, t.accountId), caller.token());
        });
  }

  private static TokenEntity theirs(Session s, String id, Caller caller) {
    return Db.first(s, TokenEntity.class, "from TokenEntity where id = ?1", id)
        .filter(x -> x.accountId.equals(caller.accountId()) || caller.may(Need.KEEP))
        .orElseThrow(() -> ProblemException.missing("token", id));
  }

  /** Revokes a session or token of the caller's, or, by a keeper, of anybody. */
  public void revoke(String id, Caller caller) {
    db.run(s -> s.remove(theirs(s, id, caller)));
    tellEnded();
  }

  /** Ends the session or token that a call came with. */
  public void end(Caller caller) {
    db.run(s -> Db.change(s, "delete from TokenEntity where id = ?1", caller.token()));
    tellEnded();
  }

  /** Ends the sessions of an account but for one. */
  void endSessions(Session s, String accountId, String but) {
    Db.change(
        s,
        "delete from TokenEntity where accountId = ?1 and kind = 'session' and id <> ?2",
        accountId,
        but);
  }

  void endAll(Session s, String accountId) {
    Db.change(s, "delete from TokenEntity where accountId = ?1", accountId);
  }

  /** Whether a session or token is valid still. */
  public boolean valid(Caller caller) {
    return again(caller).isPresent();
  }

  /** Who calls, with what they may do by now; nobody if the session or token has ended. */
  public Optional<Caller> again(Caller caller) {
    return db.tx(
        s ->
            Db.first(s, TokenEntity.class, "from TokenEntity where id = ?1", caller.token())
                .filter(this::valid)
                .flatMap(t -> caller(s, t, caller.address())));
  }

  private Optional<Caller> caller(Session s, TokenEntity t, String address) {
    AccountEntity owner = s.find(AccountEntity.class, t.accountId);
    if (owner == null || lapsed(owner, clock.instant())) {
      // Removed in this moment, and the token with it; or its person is long unheard of.
      return Optional.empty();
    }
    return Optional.of(
        new Caller(
            owner.name,
            owner.id,
            t.id,
            switch (t.kind) {
              case "session" -> Caller.Kind.SESSION;
              case "home" -> Caller.Kind.HOME;
              default -> Caller.Kind.TOKEN;
            },
            t.csrf,
            roles(t, owner),
            // A tug's token is for its leases, whatever the account sees.
            t.kind.equals("tug") ? "" : owner.machines,
            Optional.ofNullable(t.tug),
            address));
  }

  private boolean valid(TokenEntity t) {
    return t.expiresAt == null || t.expiresAt.isAfter(clock.instant());
  }

  /** Whether a provider has not told for long whether somebody may still come in. */
  private static boolean lapsed(AccountEntity a, Instant now) {
    return a.issuer != null && a.confirmedAt.isBefore(now.minus(CONFIRMED));
  }

  /**
   * Who a secret belongs to.
   *
   * @param address of whoever calls
   */
  public Optional<Caller> caller(String secret, String address) {
    Instant now = clock.instant();
    return db.tx(
        s -> {
          TokenEntity t = s.find(TokenEntity.class, digest(secret));
          if (t == null || !valid(t)) {
            return Optional.empty();
          }
          Optional<Caller> caller = caller(s, t, address);
          if (caller.isEmpty()) {
            return caller;
          }
          if (t.usedAt == null || t.usedAt.isBefore(now.minus(USE))) {
            // Not through the entity: that it is revoked in the same moment is no failure here.
            s.createNativeMutationQuery(
                    "update token set used_at = ?2, used_from = ?3 where hash = ?1")
                .setParameter(1, t.hash)
                .setParameter(2, now)
                .setParameter(3, address)
                .executeUpdate();
          }
          return caller;
        });
  }
}
