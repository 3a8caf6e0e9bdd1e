package bargelane.service.http;

import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import io.javalin.http.Context;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.time.Duration;
import java.util.HexFormat;

/**
 * A write with a key happens once; the same key again gets the same answer. The key is claimed
 * before the write, so that two at once can't both do it; a claim without an answer means that the
 * service ended in between.
 */
final class Once {

  private static final Duration KEPT = Duration.ofDays(1);

  private final Db db;
  private final Clock clock;

  Once(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  void serve(Context ctx, Endpoint e, Request call, String key, byte[] body) throws Exception {
    if (!key.matches("[\\x21-\\x7e]{1,200}")) {
      throw ProblemException.invalid(
          "key-malformed",
          "an Idempotency-Key has 1 to 200 printable characters of ASCII",
          "use a UUID");
    }
    String account = call.caller().account();
    String request = e.method() + " " + ctx.path();
    String digest = digest(body);
    AnsweredEntity before = claim(key, account, request, digest);
    if (before == null) {
      try {
        Object answer = e.handle(call, body);
        HttpApi.answer(ctx, e.status(), answer);
        db.run(
            s -> {
              AnsweredEntity a = s.find(AnsweredEntity.class, key);
              a.status = answer == null ? 204 : e.status();
              a.body = answer == null ? "" : Json.text(answer);
            });
      } catch (Exception refused) {
        db.run(s -> Db.change(s, "delete from AnsweredEntity where key = ?1", key));
        throw refused;
      }
      return;
    }
    if (!before.account.equals(account)) {
      throw ProblemException.invalid(
          "key-reused", "the idempotency key is somebody else's", "use a new key");
    }
    if (!before.request.equals(request) || !before.bodyDigest.equals(digest)) {
      throw ProblemException.invalid(
          "key-reused",
          "the idempotency key was used for "
              + (before.request.equals(request) ? "this with another body" : before.request),
          "use a new key for a new request");
    }
    if (before.status == 0) {
      throw ProblemException.conflict(
          "request-in-doubt",
          "a request with this key was begun at " + before.at + " and has no answer yet",
          "look whether it was done, then use a new key");
    }
    ctx.status(before.status)
        .contentType("application/json")
        .result(before.body.getBytes(StandardCharsets.UTF_8));
  }

  private static String digest(byte[] body) {
    try {
      return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(body));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Claims a key; gives what is stored under it if it was claimed before. */
  private AnsweredEntity claim(String key, String account, String request, String digest) {
    return db.tx(
        s -> {
          Db.change(s, "delete from AnsweredEntity where at < ?1", clock.instant().minus(KEPT));
          int fresh =
              s.createNativeMutationQuery(
                      "insert into answered (key, account, request, status, body, at, body_digest)"
                          + " values (?1, ?2, ?3, 0, '', ?4, ?5) on conflict do nothing")
                  .setParameter(1, key)
                  .setParameter(2, account)
                  .setParameter(3, request)
                  .setParameter(4, clock.instant())
                  .setParameter(5, digest)
                  .executeUpdate();
          return fresh == 1 ? null : s.find(AnsweredEntity.class, key);
        });
  }
}
