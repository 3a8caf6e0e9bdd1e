package bargelane.service.account;

import bargelane.api.AuditCheck;
import bargelane.api.AuditView;
import bargelane.api.Page;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.HexFormat;
import java.util.List;
import java.util.stream.Stream;
import org.hibernate.ScrollMode;
import org.hibernate.ScrollableResults;
import org.hibernate.Session;

/**
 * Who asked for what to be changed, and what was refused: written before a change is begun, so that
 * none is made that is not here. Entries are chained by digests: SHA-256 over the digest before and
 * the entry's fields as a JSON array of texts. Where entries are kept for a time, older ones go
 * from the front, and an entry of its own tells which and the digest of the last of them.
 */
public final class Audit {

  private static final String FIRST = "0".repeat(64);
  private static final int LONGEST = 2000;
  private static final int LONGEST_BEFORE = 4000;
  private static final int BATCH = 500;

  /** The method of entries that tell of those that are gone; no call has it. */
  private static final String CUT = "CUT";

  /** So many go at once: nothing can be entered meanwhile. */
  private static final int MOST_CUT = 5000;

  /**
   * What a call is, to the audit.
   *
   * @param before what stands there that it is to change; empty for nothing
   */
  public record Call(Caller caller, String method, String path, String before, String asked) {}

  /** What of the chain is gone: the first {@code last} entries, the last of which had a digest. */
  private record Gone(long last, String digest) {}

  private final Db db;
  private final Clock clock;

  public Audit(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /** Something is asked to be changed; gives the number of its entry. */
  public long asked(Call call) {
    return enter(call, 0, "", null);
  }

  /** Somebody has signed in. */
  public void signedIn(Call call) {
    enter(call, 200, "signed-in", null);
  }

  /** What was asked in an entry, or never got as far, was refused or failed. */
  public void refused(Call call, Long of, int status, String code) {
    enter(call, status, code, of);
  }

  private long enter(Call call, int status, String code, Long of) {
    return db.tx(
        s -> {
          Db.lock(s, "audit");
          return enter(s, call, status, code, of);
        });
  }

  private long enter(Session s, Call call, int status, String code, Long of) {
    AuditEntity last = last(s);
    AuditEntity e = new AuditEntity();
    e.id = last == null ? 1 : last.id + 1;
    e.at = clock.instant().truncatedTo(ChronoUnit.MICROS);
    e.account = shortly(call.caller().account());
    e.token = call.caller().token();
    e.address = call.caller().address();
    e.method = call.method();
    e.path = shortly(call.path());
    e.before = shortly(call.before(), LONGEST_BEFORE);
    e.asked = shortly(call.asked());
    e.status = status;
    e.code = code;
    e.of = of;
    e.digest = digest(last == null ? FIRST : last.digest, e);
    s.persist(e);
    return e.id;
  }

  /**
   * Takes out entries that are older than they are kept, from the front of the chain: those before
   * the first that is young enough.
   *
   * @return how many
   */
  public int cut(Duration kept) {
    Instant before = clock.instant().minus(kept);
    int all = 0;
    int some;
    do {
      some = db.tx(s -> cut(s, before));
      all += some;
    } while (some == MOST_CUT);
    return all;
  }

  private int cut(Session s, Instant before) {
    Db.lock(s, "audit");
    if (first(s, 1).stream().noneMatch(e -> e.at.isBefore(before))) {
      return 0;
    }
    List<AuditEntity> first = first(s, MOST_CUT);
    AuditEntity last = null;
    int old = 0;
    while (old < first.size() && first.get(old).at.isBefore(before)) {
      last = first.get(old++);
    }
    enter(
        s,
        new Call(Caller.nobody(""), CUT, "/audit", "", Json.text(new Gone(last.id, last.digest))),
        0,
        "",
        null);
    s.flush();
    s.createNativeQuery("select set_config('bargelane.audit_cut', ?1, true)", String.class)
        .setParameter(1, String.valueOf(last.id))
        .getSingleResult();
    s.createNativeMutationQuery("delete from audit where id <= ?1")
        .setParameter(1, last.id)
        .executeUpdate();
    return old;
  }

  private static List<AuditEntity> first(Session s, int most) {
    return Db.query(s, AuditEntity.class, "from AuditEntity order by id")
        .setMaxResults(most)
        .getResultList();
  }

  private static String shortly(String text) {
    return shortly(text, LONGEST);
  }

  private static String shortly(String text, int longest) {
    String plain = text.replace('\0', ' ');
    String cut = plain.length() <= longest ? plain : plain.substring(0, longest) + " …";
    // Halves of surrogate pairs can't be stored.
    return new String(cut.getBytes(StandardCharsets.UTF_8), StandardCharsets.UTF_8);
  }

  private static AuditEntity last(Session s) {
    return Db.first(s, AuditEntity.class, "from AuditEntity order by id desc").orElse(null);
  }

  private static String digest(String last, AuditEntity e) {
    Stream<Object> fixed =
        Stream.of(
            last,
            e.id,
            e.at,
            e.account,
            e.token,
            e.address,
            e.method,
            e.path,
            e.asked,
            e.status,
            e.code,
            String.valueOf(e.of));
    // Entries of former versions have no such field.
    Stream<Object> added = e.before.isEmpty() ? Stream.empty() : Stream.of(e.before);
    String fields = Json.text(Stream.concat(fixed, added).map(String::valueOf).toList());
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(fields.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException x) {
      throw new IllegalStateException(x);
    }
  }

  /**
   * Entries, the newest first.
   *
   * @param account whose; empty for all
   * @param refused only what was refused or failed
   */
  public Page<AuditView> list(String account, boolean refused, int page, int size) {
    String where =
        "from AuditEntity where (?1 = '' or account = ?1)" + (refused ? " and status >= 400" : "");
    return db.tx(
        s -> {
          List<AuditView> items =
              Db.query(s, AuditEntity.class, where + " order by id desc", account)
                  .setFirstResult(Math.toIntExact(Math.min((long) page * size, Integer.MAX_VALUE)))
                  .setMaxResults(size)
                  .getResultList()
                  .stream()
                  .map(Audit::view)
                  .toList();
          long total =
              Db.query(s, Long.class, "select count(*) " + where, account).getSingleResult();
          return new Page<>(items, total, page, size);
        });
  }

  private static AuditView view(AuditEntity e) {
    return new AuditView(
        e.id, e.at, e.account, e.token, e.address, e.method, e.path, e.before, e.asked, e.status,
        e.code, e.of, e.digest);
  }

  /**
   * Goes along the whole chain. Its last digest, kept elsewhere, shows later that no entry up to it
   * was changed, taken out or put in.
   */
  public AuditCheck verify() {
    return db.tx(
        s -> {
          // What is gone and what is there are of one instant, whatever is cut meanwhile.
          s.createNativeMutationQuery("set transaction isolation level repeatable read")
              .executeUpdate();
          Gone gone = gone(s);
          String before = gone.digest();
          long entries = 0;
          try (ScrollableResults<AuditEntity> all =
              Db.query(s, AuditEntity.class, "from AuditEntity order by id")
                  .setFetchSize(BATCH)
                  .setReadOnly(true)
                  .scroll(ScrollMode.FORWARD_ONLY)) {
            while (all.next()) {
              AuditEntity e = all.get();
              long next = gone.last() + entries + 1;
              if (e.id != next || !e.digest.equals(digest(before, e))) {
                return new AuditCheck(
                    entries,
                    gone.last(),
                    before,
                    e.id != next
                        ? "entry " + next + " is missing"
                        : "entry " + e.id + " is not as it was written");
              }
              before = e.digest;
              entries++;
              s.detach(e);
            }
          }
          return new AuditCheck(entries, gone.last(), before, "");
        });
  }

  /** What the newest entry that tells of it says is gone; it is in the chain as any other. */
  private static Gone gone(Session s) {
    return Db.first(
            s, AuditEntity.class, "from AuditEntity where method = ?1 order by id desc", CUT)
        .map(e -> Json.read(e.asked, Gone.class))
        .orElse(new Gone(0, FIRST));
  }
}
