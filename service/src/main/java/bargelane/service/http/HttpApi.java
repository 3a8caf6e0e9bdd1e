package bargelane.service.http;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.account.Accounts;
import bargelane.service.account.Accounts.Caller;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Remedies;
import bargelane.sites.SiteException;
import io.javalin.Javalin;
import io.javalin.config.JavalinConfig;
import io.javalin.http.Context;
import io.javalin.http.HandlerType;
import io.javalin.http.HttpResponseException;
import io.micrometer.core.instrument.Timer;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.io.Closeable;
import java.time.Clock;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The service's HTTP side: the API under {@code /api/v1}, its document, events, metrics and the
 * console's files. Programs come with a bearer token, the console with a session cookie and, for
 * writes, the session's CSRF value.
 */
public final class HttpApi implements Closeable {

  /** The console's session cookie. */
  public static final String COOKIE = "bargelane";

  private static final Logger log = LoggerFactory.getLogger(HttpApi.class);

  private static final long LARGEST_BODY = 64L << 20;

  private final Javalin http;
  private final Accounts accounts;
  private final Db db;
  private final Clock clock;
  private final PrometheusMeterRegistry meters;
  private final Endpoints endpoints;
  private String document;

  public HttpApi(
      int port,
      Endpoints endpoints,
      Accounts accounts,
      Events events,
      Db db,
      Clock clock,
      PrometheusMeterRegistry meters) {
    this.accounts = accounts;
    this.db = db;
    this.clock = clock;
    this.meters = meters;
    this.endpoints = endpoints;
    this.http =
        Javalin.create(
                config -> {
                  config.startup.showJavalinBanner = false;
                  config.jetty.host = "127.0.0.1";
                  config.jetty.port = port;
                  config.http.maxRequestSize = LARGEST_BODY;
                  routes(config, events);
                })
            .start();
  }

  public int port() {
    return http.port();
  }

  /** The API's document, made when it is first asked for. */
  private synchronized String document() {
    if (document == null) {
      document = OpenApi.document(endpoints.all());
    }
    return document;
  }

  private void routes(JavalinConfig config, Events events) {
    var r = config.routes;
    r.exception(
        ProblemException.class,
        (e, ctx) -> problem(ctx, e.status(), e.code(), e.getMessage(), e.remedy()));
    r.exception(
        SiteException.class,
        (e, ctx) ->
            problem(
                ctx,
                e.kind() == SiteException.Kind.MAY_PASS ? 503 : 502,
                "site-" + e.code(),
                e.getMessage(),
                Remedy.of("check the site", Action.SITE_CHECK)));
    r.exception(
        HttpResponseException.class,
        (e, ctx) ->
            problem(
                ctx,
                e.getStatus(),
                e.getStatus() == 404 ? "path-unknown" : "http-" + e.getStatus(),
                e.getStatus() == 404
                    ? "there is nothing at " + ctx.method() + " " + ctx.path()
                    : e.getMessage(),
                "see /api/v1/openapi.json"));
    r.exception(
        InterruptedException.class,
        (e, ctx) ->
            problem(
                ctx, 503, "going-down", "the service is going down", "ask again when it is back"));
    r.exception(
        Exception.class,
        (e, ctx) -> {
          String entry = Ids.next("log");
          log.error("{}: {} {} failed", entry, ctx.method(), ctx.path(), e);
          Optional<String> database = Db.trouble(e);
          if (database.isPresent()) {
            problem(
                ctx,
                503,
                "database-trouble",
                "the database can't be used: " + database.get() + "; nothing of this was stored",
                Remedy.of(
                    "see that it runs and has room on its disk, then start it",
                    Action.SERVICE_START));
            return;
          }
          problem(
              ctx,
              500,
              "internal",
              "the service failed at " + ctx.method() + " " + ctx.path(),
              "read entry " + entry + " of the service's log");
        });
    for (Endpoint e : endpoints.all()) {
      r.addHttpHandler(
          HandlerType.findOrCreate(e.method()), "/api/v1" + e.path(), ctx -> serve(ctx, e));
    }
    r.get(
        "/api/v1/openapi.json",
        ctx -> {
          caller(ctx);
          ctx.contentType("application/json").result(document());
        });
    r.get(
        "/metrics",
        ctx -> {
          caller(ctx);
          ctx.contentType("text/plain; version=0.0.4").result(meters.scrape());
        });
    // Before the stream's answer begins, since its status can't be changed afterwards.
    r.before("/api/v1/events/stream", this::caller);
    EventStream stream = new EventStream(events);
    r.sse("/api/v1/events/stream", stream::serve);
    r.get("/*", ConsoleFiles::serve);
  }

  private Caller caller(Context ctx) {
    String header = ctx.header("Authorization");
    String cookie = ctx.cookie(COOKIE);
    String secret = header != null && header.startsWith("Bearer ") ? header.substring(7) : cookie;
    Optional<Caller> caller = secret == null ? Optional.empty() : accounts.caller(secret);
    if (caller.isEmpty()) {
      throw new ProblemException(
          401,
          "not-signed-in",
          secret == null
              ? "this needs a sign-in"
              : "the session or token is not known or has ended",
          "sign in, or give a token");
    }
    boolean writes =
        !ctx.method().equals(HandlerType.GET) && !ctx.method().equals(HandlerType.HEAD);
    if (caller.get().kind().equals("session")
        && writes
        && !caller.get().csrf().equals(ctx.header("X-CSRF"))) {
      throw new ProblemException(
          403,
          "csrf-missing",
          "a write from the console must carry its session's X-CSRF value",
          "sign in again");
    }
    return caller.get();
  }

  private void serve(Context ctx, Endpoint e) throws Exception {
    long begun = System.nanoTime();
    try {
      Caller caller = e.open() ? new Caller("", "", "") : caller(ctx);
      Request request = new Request(ctx, caller, e);
      String key = ctx.header("Idempotency-Key");
      if (key != null && e.method().equals("POST") && !e.secret()) {
        once(ctx, e, request, key);
      } else {
        answer(ctx, e.status(), e.handle(request, ctx.bodyAsBytes()));
      }
    } finally {
      Timer.builder("bargelane_http")
          .tag("endpoint", e.method() + " " + e.path())
          .register(meters)
          .record(System.nanoTime() - begun, TimeUnit.NANOSECONDS);
    }
  }

  /**
   * A write with a key happens once; the same key again gets the same answer. The key is claimed
   * before the write, so that two at once can't both do it; a claim without an answer means that
   * the service ended in between.
   */
  private void once(Context ctx, Endpoint e, Request call, String key) throws Exception {
    Caller caller = call.caller();
    String request = e.method() + " " + ctx.path();
    AnsweredEntity before = claim(key, caller.account(), request);
    if (before != null) {
      if (!before.request.equals(request) || !before.account.equals(caller.account())) {
        throw new ProblemException(
            422,
            "key-reused",
            "the idempotency key was used for " + before.request,
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
          .result(before.body.getBytes(java.nio.charset.StandardCharsets.UTF_8));
      return;
    }
    try {
      Object body = e.handle(call, ctx.bodyAsBytes());
      answer(ctx, e.status(), body);
      db.run(
          s -> {
            AnsweredEntity a = s.find(AnsweredEntity.class, key);
            a.status = body == null ? 204 : e.status();
            a.body = body == null ? "" : Json.text(body);
          });
    } catch (Exception refused) {
      db.run(s -> Db.change(s, "delete from AnsweredEntity where key = ?1", key));
      throw refused;
    }
  }

  /** Claims a key; gives what is stored under it if it was claimed before. */
  private AnsweredEntity claim(String key, String account, String request) {
    return db.tx(
        s -> {
          Db.change(
              s,
              "delete from AnsweredEntity where at < ?1",
              clock.instant().minus(Duration.ofDays(1)));
          int fresh =
              s.createNativeMutationQuery(
                      "insert into answered (key, account, request, status, body, at) values (?1, ?2, ?3, 0, '', ?4) on conflict do nothing")
                  .setParameter(1, key)
                  .setParameter(2, account)
                  .setParameter(3, request)
                  .setParameter(4, clock.instant())
                  .executeUpdate();
          return fresh == 1 ? null : s.find(AnsweredEntity.class, key);
        });
  }

  private static void answer(Context ctx, int status, Object body) {
    if (body == null) {
      ctx.status(204);
    } else if (body instanceof byte[] bytes) {
      ctx.status(status).contentType("application/octet-stream").result(bytes);
    } else if (body instanceof Endpoints.Document document) {
      ctx.status(status)
          .contentType(document.contentType())
          .result(document.text().getBytes(java.nio.charset.StandardCharsets.UTF_8));
    } else {
      ctx.status(status).contentType("application/json").result(utf8(body));
    }
  }

  private static void problem(Context ctx, int status, String code, String detail, String advice) {
    problem(ctx, status, code, detail, Remedy.advice(advice));
  }

  private static void problem(Context ctx, int status, String code, String detail, Remedy remedy) {
    ctx.status(status)
        .contentType("application/problem+json")
        .result(
            utf8(
                new Problem(
                    "about:blank", title(status), status, code, detail, Remedies.view(remedy))));
  }

  private static byte[] utf8(Object body) {
    return Json.text(body).getBytes(java.nio.charset.StandardCharsets.UTF_8);
  }

  private static String title(int status) {
    return switch (status) {
      case 400 -> "malformed request";
      case 401 -> "not signed in";
      case 403 -> "not allowed";
      case 404 -> "not found";
      case 409 -> "not possible now";
      case 412 -> "changed meanwhile";
      case 422 -> "not valid";
      case 502, 503 -> "a site failed";
      default -> "failed";
    };
  }

  @Override
  public void close() {
    http.stop();
  }
}
