package bargelane.service.account;

import bargelane.core.account.SignInWait;
import bargelane.core.net.Address;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.EnumMap;
import java.util.Map;
import org.hibernate.Session;

/**
 * Sign-ins that fail make the next ones wait, on all nodes. A try counts as failed from before it
 * is looked at until it has succeeded, so that many at once are as many tries.
 */
final class SignIns {

  /** Forgets failures and addresses that are long past; see {@link Tokens#TIDY}. */
  static final String TIDY = "delete from sign_in_wait where tried_at < ?1 and until < ?1";

  /** An address from which somebody signed in to an account is known for it so long. */
  private static final Duration KNOWN = Duration.ofDays(30);

  /** Failures in a row are those with no longer pause than this between them. */
  private static final Duration ROW = Duration.ofMinutes(15);

  /** Names that nobody has may be of any length. */
  private static final int LONGEST_NAME = 64;

  private final Db db;
  private final Clock clock;

  SignIns(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  private static Map<SignInWait, String> keys(String account, String address) {
    String name = name(account);
    String from = Address.holder(address);
    Map<SignInWait, String> keys = new EnumMap<>(SignInWait.class);
    keys.put(SignInWait.PAIR, "pair " + name + " " + from);
    keys.put(SignInWait.ADDRESS, "address " + from);
    keys.put(SignInWait.ACCOUNT, "account " + name);
    return keys;
  }

  private static String known(String account, String address) {
    return "known " + name(account) + " " + Address.holder(address);
  }

  private static String name(String account) {
    String name = account.substring(0, Math.min(account.length(), LONGEST_NAME));
    return name.replaceAll("[^a-z0-9._@-]", "?");
  }

  /**
   * Lets a try begin.
   *
   * @throws ProblemException 429 with the seconds that are to be waited
   */
  void begin(String account, String address) {
    Instant now = clock.instant();
    Map<SignInWait, String> keys = keys(account, address);
    long seconds =
        db.tx(
            s -> {
              // In one order, so that two tries never wait for each other.
              Instant until = Instant.MIN;
              boolean here =
                  !s.createNativeQuery(
                          "select 1 from sign_in_wait where what = ?1 and until > ?2", Object.class)
                      .setParameter(1, known(account, address))
                      .setParameter(2, now)
                      .getResultList()
                      .isEmpty();
              if (here) {
                keys.remove(SignInWait.ACCOUNT);
              }
              for (Map.Entry<SignInWait, String> key : keys.entrySet()) {
                Instant held = held(s, key.getValue());
                // Longer than any wait: the clock has stepped back.
                if (held.isBefore(now.plus(key.getKey().longest()).plusSeconds(1))
                    && held.isAfter(until)) {
                  until = held;
                }
              }
              if (until.isAfter(now)) {
                return Duration.between(now, until).toSeconds() + 1;
              }
              for (Map.Entry<SignInWait, String> key : keys.entrySet()) {
                count(s, key.getKey(), key.getValue(), now);
              }
              return 0L;
            });
    if (seconds > 0) {
      throw busy(seconds);
    }
  }

  private static Instant held(Session s, String what) {
    return s.createNativeQuery(
            "insert into sign_in_wait (what, failures, tried_at, until) values (?1, 0, now(), 'epoch')"
                + " on conflict (what) do update set failures = sign_in_wait.failures"
                + " returning until",
            Instant.class)
        .setParameter(1, what)
        .getSingleResult();
  }

  private static void count(Session s, SignInWait wait, String what, Instant now) {
    int failures =
        s.createNativeQuery(
                "select case when tried_at < ?2 then 1 else failures + 1 end from sign_in_wait where what = ?1",
                Integer.class)
            .setParameter(1, what)
            .setParameter(2, now.minus(ROW))
            .getSingleResult();
    s.createNativeMutationQuery(
            "update sign_in_wait set failures = ?2, tried_at = ?3, until = ?4 where what = ?1")
        .setParameter(1, what)
        .setParameter(2, failures)
        .setParameter(3, now)
        .setParameter(4, now.plus(wait.after(failures)))
        .executeUpdate();
  }

  /**
   * The password was right: the address is known for the account, and this try is not counted.
   * Failures of others from this address, and at this account, stay counted.
   */
  void succeeded(String account, String address) {
    Map<SignInWait, String> keys = keys(account, address);
    Instant now = clock.instant();
    db.run(
        s -> {
          for (SignInWait wait : SignInWait.values()) {
            int failures = wait == SignInWait.PAIR ? 0 : failures(s, keys.get(wait)) - 1;
            s.createNativeMutationQuery(
                    "update sign_in_wait set failures = ?2, until = least(until, ?3) where what = ?1")
                .setParameter(1, keys.get(wait))
                .setParameter(2, Math.max(failures, 0))
                .setParameter(3, now.plus(wait.after(failures)))
                .executeUpdate();
          }
          s.createNativeMutationQuery(
                  "insert into sign_in_wait (what, failures, tried_at, until) values (?1, 0, ?2, ?3)"
                      + " on conflict (what) do update set tried_at = excluded.tried_at, until = excluded.until")
              .setParameter(1, known(account, address))
              .setParameter(2, now)
              .setParameter(3, now.plus(KNOWN))
              .executeUpdate();
        });
  }

  private static int failures(Session s, String what) {
    return s
        .createNativeQuery(
            "select failures from sign_in_wait where what = ?1 for update", Integer.class)
        .setParameter(1, what)
        .getResultList()
        .stream()
        .findFirst()
        .orElse(0);
  }

  static ProblemException busy(long seconds) {
    return new ProblemException(
            429,
            "sign-in-waits",
            "there were too many sign-ins that failed",
            "wait " + seconds + " s, then try again")
        .after(seconds);
  }
}
