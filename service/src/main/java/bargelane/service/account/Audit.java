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
 * the entry's fields as a JSON array of texts.
 */
public final class Audit {

  private static final String FIRST = "0".repeat(64);
  private static final int LONGEST = 2000;
  private static final int BATCH = 500;

  /** What a call is, to the audit. */
  public record Call(Caller caller, String method, String path, String asked) {}

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
          AuditEntity last = last(s);
          AuditEntity e = new AuditEntity();
          e.id = last == null ? 1 : last.id + 1;
          e.at = clock.instant().truncatedTo(ChronoUnit.MICROS);
          e.account = shortly(call.caller().account());
          e.token = call.caller().token();
          e.address = call.caller().address();
          e.method = call.method();
          e.path = shortly(call.path());
          e.asked = shortly(call.asked());
          e.status = status;
          e.code = code;
          e.of = of;
          e.digest = digest(last == null ? FIRST : last.digest, e);
          s.persist(e);
          return e.id;
        });
  }

  private static String shortly(String text) {
    String plain = text.replace('\0', ' ');
    String cut = plain.length() <= LONGEST ? plain : plain.substring(0, LONGEST) + " …";
    // Halves of surrogate pairs can't be stored.
    return new String(cut.getBytes(StandardCharsets.UTF_8), StandardCharsets.UTF_8);
  }

  private static AuditEntity last(Session s) {
    return Db.first(s, AuditEntity.class, "from AuditEntity order by id desc").orElse(null);
  }

  private static String digest(String before, AuditEntity e) {
    String fields =
        Json.text(
            Stream.of(
                    before, e.id, e.at, e.account, e.token, e.address, e.method, e.path, e.asked,
                    e.status, e.code, e.of)
                .map(String::valueOf)
                .toList());
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
        e.id, e.at, e.account, e.token, e.address, e.method, e.path, e.asked, e.status, e.code,
        e.of, e.digest);
  }

  /**
   * Goes along the whole chain. Its last digest, kept elsewhere, shows later that no entry up to it
   * was changed, taken out or put in.
   */
  public AuditCheck verify() {
    return db.tx(
        s -> {
          String before = FIRST;
          long entries = 0;
          try (ScrollableResults<AuditEntity> all =
              Db.query(s, AuditEntity.class, "from AuditEntity order by id")
                  .setFetchSize(BATCH)
                  .setReadOnly(true)
                  .scroll(ScrollMode.FORWARD_ONLY)) {
            while (all.next()) {
              AuditEntity e = all.get();
              if (e.id != entries + 1 || !e.digest.equals(digest(before, e))) {
                return new AuditCheck(
                    entries,
                    before,
                    e.id != entries + 1
                        ? "entry " + (entries + 1) + " is missing"
                        : "entry " + e.id + " is not as it was written");
              }
              before = e.digest;
              entries++;
              s.detach(e);
            }
          }
          return new AuditCheck(entries, before, "");
        });
  }
}
