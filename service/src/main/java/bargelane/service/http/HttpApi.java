package bargelane.service.http;

import bargelane.core.account.Need;
import bargelane.service.account.Audit;
import bargelane.service.account.Caller;
import bargelane.service.account.Tokens;
import bargelane.service.event.Actor;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import io.javalin.Javalin;
import io.javalin.config.JavalinConfig;
import io.javalin.http.Context;
import io.javalin.http.Cookie;
import io.javalin.http.HandlerType;
import io.javalin.http.HttpStatus;
import io.javalin.http.SameSite;
import io.micrometer.core.instrument.Timer;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.io.Closeable;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import org.eclipse.jetty.server.handler.EagerContentHandler;

/**
 * The service's HTTP side: the API under {@code /api/v1}, its document, events, metrics and the
 * console's files.
 */
public final class HttpApi implements Closeable {

  /** The console's session cookie. */
  public static final String COOKIE = "bargelane";

  private static final String STREAM = "/api/v1/events/stream";
  private static final Set<Need> READ = Set.of(Need.READ);

  /** Bytes of a body that are waited for without a thread; what is longer needs a sign-in first. */
  private static final int EAGER = 64 << 10;

  /** How long a connection may give and take nothing. */
  public static final long IDLE_MS = 30_000;

  private static final List<String> METHODS =
      List.of("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS");

  /** Calls that compute for long are done by so many at once, and waited for so long. */
  private static final int HEAVY = 3;

  private static final long HEAVY_WAIT_SECONDS = 20;

  private final Semaphore heavy = new Semaphore(HEAVY, true);
  private final Javalin http;
  private final SecureListener listener;
  private final Callers callers;
  private final Limits limits;
  private final Audited audited;
  private final Once once;
  private final EventStream stream;
  private final PrometheusMeterRegistry meters;
  private final Runnable measure;
  private final Endpoints endpoints;
  private String document;

  /**
   * @param measure brings up to date what is measured when somebody asks for it
   */
  public HttpApi(
      SecureListener listener,
      Endpoints endpoints,
      Tokens tokens,
      Limits limits,
      Audit audit,
      Events events,
      Db db,
      Clock clock,
      PrometheusMeterRegistry meters,
      Runnable measure) {
    this.listener = listener;
    this.callers = new Callers(tokens);
    this.limits = limits;
    this.audited = new Audited(audit);
    this.once = new Once(db, clock);
    this.stream = new EventStream(events, tokens, limits);
    this.meters = meters;
    this.measure = measure;
    this.endpoints = endpoints;
    this.http =
        Javalin.create(
                config -> {
                  config.startup.showJavalinBanner = false;
                  config.jetty.modifyHttpConfiguration(
                      h -> {
                        h.setIdleTimeout(IDLE_MS);
                        h.setSendServerVersion(false);
                      });
                  config.jetty.addConnector(listener::connector);
                  config.jetty.modifyServer(
                      server -> {
                        server.setErrorHandler(Problems.server());
                        server.setHandler(
                            new EagerContentHandler(
                                new EagerContentHandler.RetainedContentLoaderFactory(
                                    EAGER, -1, false)));
                      });
                  config.http.maxRequestSize = Endpoints.LIST_BODY;
                  routes(config);
                })
            .start();
  }

  /** The API's document, made when it is first asked for. */
  private synchronized String document() {
    if (document == null) {
      document = OpenApi.document(endpoints.all());
    }
    return document;
  }

  private void routes(JavalinConfig config) {
    var r = config.routes;
    Problems.routes(r);
    r.before(HttpApi::onlySecure);
    r.before(HttpApi::noDisguise);
    for (Endpoint e : endpoints.all()) {
      r.addHttpHandler(
          HandlerType.findOrCreate(e.method()), "/api/v1" + e.path(), ctx -> serve(ctx, e));
    }
    r.get(
        "/api/v1/openapi.json",
        ctx -> {
          callers.allowed(ctx, Set.of(Need.SIGN_IN));
          ctx.contentType("application/json").result(document());
        });
    r.get(
        "/metrics",
        ctx -> {
          Callers.unlimited(callers.allowed(ctx, READ));
          measure.run();
          ctx.contentType("text/plain; version=0.0.4").result(meters.scrape());
        });
    // Before the stream's answer begins, since its status can't be changed afterwards.
    r.before(STREAM, ctx -> stream.admit(ctx, callers, READ));
    r.sse(STREAM, stream::serve);
    otherMethods(config);
    r.get("/*", ConsoleFiles::serve);
    r.head(
        "/*",
        ctx -> {
          if (ctx.path().startsWith("/api/")) {
            throw notThisMethod(ctx, Set.of("GET"));
          }
          ConsoleFiles.serve(ctx);
        });
  }

  /** What a path can't be asked with is told, with what it can. */
  private void otherMethods(JavalinConfig config) {
    Map<String, Set<String>> known = new TreeMap<>();
    for (Endpoint e : endpoints.all()) {
      known.computeIfAbsent("/api/v1" + e.path(), p -> new TreeSet<>()).add(e.method());
    }
    known.put("/api/v1/openapi.json", Set.of("GET"));
    known.put("/metrics", Set.of("GET"));
    known.put(STREAM, Set.of("GET"));
    known.forEach(
        (path, methods) -> {
          for (String method : METHODS) {
            if (!methods.contains(method)) {
              config.routes.addHttpHandler(
                  HandlerType.findOrCreate(method),
                  path,
                  ctx -> {
                    throw notThisMethod(ctx, methods);
                  });
            }
          }
        });
  }

  private static ProblemException notThisMethod(Context ctx, Set<String> methods) {
    String allowed = String.join(", ", methods);
    ctx.header("Allow", allowed);
    return new ProblemException(
        405,
        "method-unknown",
        ctx.req().getMethod() + " can't be asked of " + ctx.path(),
        "use " + allowed);
  }

  /** Nothing is answered in the clear; a browser is told where to go. */
  private static void onlySecure(Context ctx) {
    if (ctx.req().isSecure()) {
      return;
    }
    boolean page = ctx.method().equals(HandlerType.GET) && !ctx.path().startsWith("/api/");
    if (page && ctx.host() != null) {
      ctx.redirect("https://" + ctx.host() + ctx.path(), HttpStatus.PERMANENT_REDIRECT);
      ctx.skipRemainingHandlers();
      return;
    }
    throw new ProblemException(
        400,
        "not-secure",
        "the service answers over TLS only; what was sent now could be read on the way",
        "use https://, and revoke the token if it was sent");
  }

  /** A method is the one that is in the request's first line, whatever a header says. */
  private static void noDisguise(Context ctx) {
    if (ctx.header("X-HTTP-Method-Override") != null) {
      throw new ProblemException(
          400,
          "method-disguised",
          "the header X-HTTP-Method-Override is not taken",
          "send the request by its own method");
    }
  }

  private void serve(Context ctx, Endpoint e) throws Exception {
    long begun = System.nanoTime();
    // A browser shows nothing of before, neither what has changed nor to who signs in next.
    ctx.header("Cache-Control", "no-store");
    try {
      Caller caller = callers.known(ctx, e.needs());
      audited.ifRefused(ctx, e, caller, () -> mayCall(ctx, e, caller));
      Request request = new Request(ctx, caller, e, limits);
      Bodies.read(
          ctx.bodyInputStream(),
          ctx.req().getContentLengthLong(),
          e.longest(),
          body -> {
            json(ctx, e, body);
            try (Turn turn = turn(e)) {
              audited.call(ctx, e, caller, request, body, () -> by(ctx, e, request, body));
            }
          });
    } finally {
      Timer.builder("bargelane_http")
          .tag("endpoint", e.method() + " " + e.path())
          .register(meters)
          .record(System.nanoTime() - begun, TimeUnit.NANOSECONDS);
    }
  }

  private void mayCall(Context ctx, Endpoint e, Caller caller) {
    Callers.mayDo(caller, e.needs());
    if (caller.machines().isEmpty()) {
      return;
    }
    Reach reach = e.reach();
    if (reach == Reach.NONE) {
      Callers.unlimited(caller);
    }
    String part = reach.part();
    if (!part.isEmpty() && !limits.holds(reach, ctx.pathParam(part), caller.machines())) {
      // As if it were not there: what there is besides is not told either.
      throw ProblemException.missing(part, ctx.pathParam(part));
    }
  }

  /** A call's part of what few may do at once. */
  private record Turn(Optional<Semaphore> of) implements AutoCloseable {
    @Override
    public void close() {
      of.ifPresent(Semaphore::release);
    }
  }

  private Turn turn(Endpoint e) throws InterruptedException {
    if (!e.heavy()) {
      return new Turn(Optional.empty());
    }
    if (!heavy.tryAcquire(HEAVY_WAIT_SECONDS, TimeUnit.SECONDS)) {
      throw new ProblemException(
              429,
              "service-busy",
              "as many assessments, comparisons and imports run as may at once",
              "ask again in a moment")
          .after(HEAVY_WAIT_SECONDS);
    }
    return new Turn(Optional.of(heavy));
  }

  private void by(Context ctx, Endpoint e, Request request, byte[] body) throws Exception {
    Actor.acts(
        // What a tug reports is not the doing of who made its token.
        request.caller().tug().map(tug -> "tug " + tug).orElse(request.by()),
        () -> {
          act(ctx, e, request, body);
          return null;
        });
  }

  private void act(Context ctx, Endpoint e, Request request, byte[] body) throws Exception {
    String key = ctx.header("Idempotency-Key");
    if (key != null && e.method().equals("POST") && !e.secret()) {
      once.serve(ctx, e, request, key, body);
    } else {
      answer(ctx, e.status(), e.handle(request, body));
    }
  }

  /** A body says that it is JSON; a form of another site's page can't. */
  private static void json(Context ctx, Endpoint e, byte[] body) {
    String type = ctx.contentType();
    if (body.length > 0
        && e.takes() != byte[].class
        && (type == null || !type.split(";")[0].strip().equalsIgnoreCase("application/json"))) {
      throw new ProblemException(
          415,
          "type-unknown",
          "the body is sent as " + (type == null ? "no type" : type),
          "send it as application/json");
    }
  }

  static void answer(Context ctx, int status, Object body) {
    if (body == null) {
      ctx.status(204);
    } else if (body instanceof Endpoints.Redirect redirect) {
      redirect.cookies().forEach(c -> keep(ctx, c));
      ctx.status(status).header("Location", redirect.to());
    } else if (body instanceof byte[] bytes) {
      ctx.status(status).contentType("application/octet-stream").result(bytes);
    } else if (body instanceof Endpoints.Document document) {
      ctx.status(status)
          .contentType(document.contentType())
          .result(document.text().getBytes(StandardCharsets.UTF_8));
    } else {
      ctx.status(status)
          .contentType("application/json")
          .result(Json.text(body).getBytes(StandardCharsets.UTF_8));
    }
  }

  /** Has a browser keep something. */
  static void keep(Context ctx, Endpoints.Cookie kept) {
    Cookie cookie = new Cookie(kept.name(), kept.value());
    cookie.setHttpOnly(true);
    cookie.setSecure(true);
    cookie.setSameSite(kept.strict() ? SameSite.STRICT : SameSite.LAX);
    cookie.setPath("/");
    cookie.setMaxAge(kept.seconds());
    ctx.cookie(cookie);
  }

  @Override
  public void close() {
    listener.close();
    stream.close();
    http.stop();
  }
}
