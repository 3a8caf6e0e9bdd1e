package bargelane.service.account;

import at.favre.lib.crypto.bcrypt.BCrypt;
import bargelane.api.AccountAdd;
import bargelane.api.AccountAdded;
import bargelane.api.AccountEdit;
import bargelane.api.AccountView;
import bargelane.core.account.Passwords;
import bargelane.core.account.Role;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.Semaphore;
import java.util.stream.Collectors;
import org.hibernate.Session;

/** Local accounts, what each may do, and their passwords, which are kept as digests only. */
public final class Accounts {

  private static final int COST = 10;

  /** Passwords that are held against their digests at once: each takes a processor. */
  private static final int AT_ONCE = 2;

  /** A well-formed hash that no password is known for. */
  private static final String NOBODY = "$2a$" + COST + "$" + ".".repeat(53);

  private static final String NAME = "[a-z0-9][a-z0-9._@-]{0,63}";

  private final Semaphore verifying = new Semaphore(AT_ONCE);
  private final Db db;
  private final Tokens tokens;
  private final SignIns signIns;
  private final Clock clock;

  public Accounts(Db db, Tokens tokens, Clock clock) {
    this.db = db;
    this.tokens = tokens;
    this.signIns = new SignIns(db, clock);
    this.clock = clock;
  }

  static Optional<AccountEntity> named(Session s, String name) {
    return Db.first(s, AccountEntity.class, "from AccountEntity where name = ?1", name);
  }

  static AccountEntity known(Session s, String name) {
    return named(s, name).orElseThrow(() -> ProblemException.missing("account", name));
  }

  /** Whether there is no account yet. */
  public boolean none() {
    return db.tx(s -> all(s)).isEmpty();
  }

  private static List<AccountEntity> all(Session s) {
    return Db.list(s, AccountEntity.class, "from AccountEntity order by createdAt, name");
  }

  /** The account that has kept accounts for longest. */
  public String oldestKeeper() {
    return db.tx(s -> all(s)).stream()
        .filter(Accounts::keeps)
        .findFirst()
        .orElseThrow(() -> new IllegalStateException("no account is a keeper"))
        .name;
  }

  /** Makes the first account, with all roles, if there is none; says whether it did. */
  public boolean first(String name, String password) {
    return db.tx(
        s -> {
          Db.lock(s, "accounts");
          if (!all(s).isEmpty()) {
            return false;
          }
          s.persist(fresh(name, hash(password), new Rights(Role.ofPeople(), "")));
          return true;
        });
  }

  private AccountEntity fresh(String name, String hash, Rights rights) {
    AccountEntity a = new AccountEntity();
    a.id = Ids.next("acc");
    a.name = name;
    a.passwordHash = hash;
    a.roles = Roles.words(rights.roles());
    a.machines = rights.machines();
    a.createdAt = clock.instant();
    return a;
  }

  private static String hash(String password) {
    return BCrypt.withDefaults().hashToString(COST, password.toCharArray());
  }

  public List<AccountView> list() {
    return db.tx(s -> all(s).stream().map(a -> view(s, a)).toList());
  }

  public AccountView view(String name) {
    return db.tx(s -> view(s, known(s, name)));
  }

  /**
   * Adds an account.
   *
   * @throws ProblemException if the name is taken or can't be one, the password is weak, or a role
   *     is unknown
   */
  public AccountAdded add(AccountAdd asked) {
    String name = String.valueOf(asked.name()).toLowerCase(Locale.ROOT);
    if (!name.matches(NAME)) {
      throw ProblemException.invalid(
          "account-name-invalid",
          "'" + name + "' can't be the name of an account",
          "use 1 to 64 letters, digits, '.', '_', '-' and '@', a letter or digit first");
    }
    Rights rights = Rights.asked(name, asked.roles(), asked.machines());
    boolean made = asked.password() == null || asked.password().isEmpty();
    String password = made ? Ids.secret() : strong(name, asked.password());
    AccountEntity fresh = fresh(name, hash(password), rights);
    return db.tx(
        s -> {
          Db.lock(s, "accounts");
          if (named(s, name).isPresent()) {
            throw ProblemException.conflict(
                "account-exists",
                "there is an account '" + name + "' already",
                Remedy.of("choose another name, or edit it", Action.ACCOUNT_EDIT, name));
          }
          s.persist(fresh);
          return new AccountAdded(view(s, fresh), made ? password : null);
        });
  }

  /** Changes an account's roles, the machines they are limited to, its password. */
  public AccountView edit(String name, AccountEdit asked) {
    Optional<Set<Role>> roles = Optional.ofNullable(asked.roles()).map(Roles::asked);
    Optional<String> hash = Optional.ofNullable(asked.password()).map(p -> hash(strong(name, p)));
    Optional<String> machines = Optional.ofNullable(asked.machines()).map(Rights::limit);
    AccountView edited =
        db.tx(
            s -> {
              Db.lock(s, "accounts");
              AccountEntity a = known(s, name);
              notOfProvider(a);
              roles.ifPresent(
                  r -> {
                    if (!r.contains(Role.KEEPER)) {
                      keeperStays(s, a);
                    }
                    a.roles = Roles.words(r);
                  });
              machines.ifPresent(m -> a.machines = m);
              new Rights(Roles.stored(a.roles), a.machines).notOfKeeper(name);
              hash.ifPresent(
                  h -> {
                    a.passwordHash = h;
                    tokens.endSessions(s, a.id, "");
                  });
              return view(s, a);
            });
    tokens.tellEnded();
    return edited;
  }

  /** Removes an account, its sessions and its tokens. */
  public void remove(String name) {
    db.run(
        s -> {
          Db.lock(s, "accounts");
          AccountEntity a = known(s, name);
          keeperStays(s, a);
          tokens.endAll(s, a.id);
          s.remove(a);
        });
    tokens.tellEnded();
  }

  private static void notOfProvider(AccountEntity a) {
    if (a.issuer != null) {
      throw ProblemException.conflict(
          "account-of-provider",
          a.name + " signs in through an identity provider, which tells their groups",
          Remedy.advice("change their groups there, or what a group may do here"));
    }
  }

  /** Lets a sign-in through the provider begin; as with passwords, failures make the next wait. */
  public void beginThroughProvider(String address) {
    signIns.begin(throughProvider(address), address);
  }

  private static String throughProvider(String address) {
    return "provider " + address;
  }

  /**
   * Begins a session for somebody whom the provider knows, with what their groups may do now.
   *
   * @param subject who they are to the provider, which is never another's
   * @param name what they are called, if they have no account yet
   * @param rights of their groups; none if nothing is for them
   * @throws ProblemException 403 if nothing is, 409 if the name is of another account
   */
  public Tokens.Secret signInThroughProvider(
      String issuer, String subject, String name, Optional<Rights> rights, String address) {
    String id =
        db.tx(
            s -> {
              Db.lock(s, "accounts");
              AccountEntity a =
                  Db.first(
                          s,
                          AccountEntity.class,
                          "from AccountEntity where issuer = ?1 and subject = ?2",
                          issuer,
                          subject)
                      .orElse(null);
              if (a == null && rights.isPresent()) {
                a = fresh(free(s, name), NOBODY, rights.get());
                a.issuer = issuer;
                a.subject = subject;
                s.persist(a);
              }
              if (a != null) {
                a.roles = Roles.words(rights.map(Rights::roles).orElse(Set.of()));
                a.machines = rights.map(Rights::machines).orElse("");
                a.confirmedAt = clock.instant();
              }
              return rights.isPresent() ? a.id : "";
            });
    if (id.isEmpty()) {
      throw new ProblemException(
          403,
          "provider-no-role",
          name + " is in no group that may do anything here",
          "have their groups changed at the provider, or give a group of theirs roles here");
    }
    signIns.succeeded(throughProvider(address), address);
    return tokens.session(id, address);
  }

  /** A name that a provider's person can have for good. */
  private static String free(Session s, String name) {
    if (!name.matches(NAME)) {
      throw ProblemException.invalid(
          "account-name-invalid",
          "'" + name + "' can't be the name of an account",
          "have the provider tell a preferred_username of 1 to 64 letters, digits and . _ - @");
    }
    if (named(s, name).isPresent()) {
      throw ProblemException.conflict(
          "account-exists",
          "there is an account '" + name + "' already, of somebody else",
          Remedy.of("have a keeper remove or keep it", Action.ACCOUNT_LIST));
    }
    return name;
  }

  /** Ends the sessions and tokens of a provider's people, in the caller's transaction. */
  public void endOfProvider(Session s, String issuer) {
    Db.list(s, AccountEntity.class, "from AccountEntity where issuer = ?1", issuer)
        .forEach(a -> tokens.endAll(s, a.id));
  }

  /** Has whoever reads events see at once that sessions have ended. */
  public void tellEnded() {
    tokens.tellEnded();
  }

  /** One keeper with a password stays: a provider may be away, or be taken away. */
  private static void keeperStays(Session s, AccountEntity account) {
    boolean another =
        all(s).stream().anyMatch(a -> !a.id.equals(account.id) && a.issuer == null && keeps(a));
    if (account.issuer == null && keeps(account) && !another) {
      throw ProblemException.conflict(
          "last-keeper",
          account.name + " is the only account with a password that may keep accounts",
          Remedy.of("make another account a keeper first", Action.ACCOUNT_LIST));
    }
  }

  private static boolean keeps(AccountEntity a) {
    return Roles.stored(a.roles).contains(Role.KEEPER);
  }

  private static String strong(String account, String password) {
    Passwords.weakness(account, password)
        .ifPresent(
            why -> {
              throw ProblemException.invalid(
                  "password-weak",
                  "the password " + why,
                  "choose one of "
                      + Passwords.SHORTEST
                      + " characters or more that does not hold the account's name");
            });
    return password;
  }

  private AccountView view(Session s, AccountEntity a) {
    List<TokenEntity> valid = tokens.valid(s, a.id);
    Map<Boolean, Long> sessions =
        valid.stream()
            .collect(
                Collectors.partitioningBy(t -> t.kind.equals("session"), Collectors.counting()));
    Optional<Instant> seen =
        valid.stream().map(t -> t.usedAt).filter(t -> t != null).max(Instant::compareTo);
    return new AccountView(
        a.name,
        Roles.list(Roles.stored(a.roles)),
        a.machines,
        a.issuer == null ? "" : a.issuer,
        a.createdAt,
        seen.orElse(null),
        sessions.get(true).intValue(),
        sessions.get(false).intValue());
  }

  /**
   * Begins a session for the right password.
   *
   * @param address of whoever signs in
   * @throws ProblemException 401 if account or password is wrong, 429 if it is to wait
   */
  public Tokens.Secret signIn(String name, String password, String address) {
    String account = name.toLowerCase(Locale.ROOT);
    signIns.begin(account, address);
    Optional<AccountEntity> known = db.tx(s -> named(s, account));
    if (!right(known, password)) {
      throw new ProblemException(
          401,
          "sign-in-refused",
          "the account or the password is wrong",
          "try again; the first account's password is in the file 'sign-in' of the service's home");
    }
    signIns.succeeded(account, address);
    return tokens.session(known.orElseThrow().id, address);
  }

  /** Changes the password of whoever calls, and ends its other sessions. */
  public void changePassword(Caller caller, String current, String password) {
    signIns.begin(caller.account(), caller.address());
    if (!right(db.tx(s -> named(s, caller.account())), current)) {
      throw ProblemException.invalid(
          "password-wrong", "the present password is wrong", "give the one you signed in with");
    }
    signIns.succeeded(caller.account(), caller.address());
    String hash = hash(strong(caller.account(), password));
    db.run(
        s -> {
          known(s, caller.account()).passwordHash = hash;
          tokens.endSessions(s, caller.accountId(), caller.token());
        });
    tokens.tellEnded();
  }

  /** The same work whether the account exists or not, so that the time does not tell. */
  private boolean right(Optional<AccountEntity> account, String password) {
    if (!Passwords.readable(password)) {
      return false;
    }
    if (!verifying.tryAcquire()) {
      throw SignIns.busy(1);
    }
    try {
      return BCrypt.verifyer()
              .verify(password.toCharArray(), account.map(a -> a.passwordHash).orElse(NOBODY))
              .verified
          && account.isPresent();
    } finally {
      verifying.release();
    }
  }
}
