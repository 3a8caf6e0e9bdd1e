package bargelane.service.http;

import bargelane.api.Problem;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Remedies;
import bargelane.sites.SiteException;
import io.javalin.config.RoutesConfig;
import io.javalin.http.Context;
import io.javalin.http.HttpResponseException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Optional;
import org.eclipse.jetty.http.HttpHeader;
import org.eclipse.jetty.server.Request;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** What went wrong, as a problem document (RFC 9457). */
final class Problems {

  private static final Logger log = LoggerFactory.getLogger(Problems.class);

  private static final String TYPE = "application/problem+json";

  private Problems() {}

  static void routes(RoutesConfig r) {
    r.exception(
        ProblemException.class,
        (e, ctx) -> {
          if (e.retryAfter() > 0) {
            ctx.header("Retry-After", String.valueOf(e.retryAfter()));
          }
          tell(ctx, e.status(), e.code(), e.getMessage(), e.remedy());
        });
    r.exception(
        SiteException.class,
        (e, ctx) ->
            tell(
                ctx,
                e.kind() == SiteException.Kind.MAY_PASS ? 503 : 502,
                "site-" + e.code(),
                e.getMessage(),
                Remedy.of("check the site", Action.SITE_CHECK)));
    r.exception(
        HttpResponseException.class,
        (e, ctx) ->
            tell(
                ctx,
                e.getStatus(),
                e.getStatus() == 404 ? "path-unknown" : "http-" + e.getStatus(),
                e.getStatus() == 404
                    ? "there is nothing at " + ctx.method() + " " + ctx.path()
                    : e.getMessage(),
                Remedy.advice("see /api/v1/openapi.json")));
    r.exception(
        InterruptedException.class,
        (e, ctx) ->
            tell(
                ctx,
                503,
                "going-down",
                "the service is going down",
                Remedy.advice("ask again when it is back")));
    r.exception(Exception.class, Problems::failed);
  }

  private static void failed(Exception e, Context ctx) {
    Optional<String> state = Db.refusal(e);
    if (state.isPresent()) {
      refused(ctx, state.get());
      return;
    }
    Optional<String> database = Db.trouble(e);
    if (database.isPresent()) {
      log.debug("{} {} failed", ctx.method(), ctx.path(), e);
      tell(
          ctx,
          503,
          "database-trouble",
          "the database can't be used: " + database.get() + "; nothing of this was stored",
          Remedy.of(
              "see that it runs and has room on its disk, then start it", Action.SERVICE_START));
      return;
    }
    String entry = Ids.next("log");
    log.error("{}: {} {} failed", entry, ctx.method(), ctx.path(), e);
    tell(
        ctx,
        500,
        "internal",
        "the service failed at " + ctx.method() + " " + ctx.path(),
        Remedy.advice("read entry " + entry + " of the service's log"));
  }

  /** What the database refused because of what it was given, by its SQLSTATE. */
  private static void refused(Context ctx, String state) {
    switch (state) {
      case "23505" ->
          tell(
              ctx,
              409,
              "exists-already",
              "something of that name was made in the same moment",
              Remedy.advice("look at what is there now"));
      case "23503" ->
          tell(
              ctx,
              409,
              "in-use",
              "something that this needs was removed, or that needs this was made, in the same moment",
              Remedy.advice("look at what is there now"));
      case Db.CHANGED ->
          tell(
              ctx,
              409,
              "changed-meanwhile",
              "somebody else changed this in the same moment",
              Remedy.advice("read it again, then change it"));
      default ->
          tell(
              ctx,
              422,
              "value-invalid",
              "a text or a number is given that can't be stored",
              Remedy.advice(
                  "leave out characters that no keyboard gives, and numbers out of range"));
    }
  }

  static void tell(Context ctx, int status, String code, String detail, Remedy remedy) {
    ctx.status(status).contentType(TYPE).result(document(status, code, detail, remedy));
  }

  private static byte[] document(int status, String code, String detail, Remedy remedy) {
    Problem problem =
        new Problem("about:blank", title(status), status, code, detail, Remedies.view(remedy));
    return Json.text(problem).getBytes(StandardCharsets.UTF_8);
  }

  /** Tells of requests that the server itself refuses, before anything of ours sees them. */
  static Request.Handler server() {
    return (request, response, callback) -> {
      int status = response.getStatus();
      response.getHeaders().put(HttpHeader.CONTENT_TYPE, TYPE);
      // What could not be parsed leaves nothing to go on from: the server closes the connection.
      response.getHeaders().put(HttpHeader.CONNECTION, "close");
      byte[] body =
          document(
              status,
              "http-" + status,
              status < 500 ? "the request can't be taken as it is" : "the service could not answer",
              Remedy.advice(status < 500 ? "see /api/v1/openapi.json" : "read the service's log"));
      response.write(true, ByteBuffer.wrap(body), callback);
      return true;
    };
  }

  private static String title(int status) {
    return switch (status) {
      case 400 -> "malformed request";
      case 401 -> "not signed in";
      case 403 -> "not allowed";
      case 404 -> "not found";
      case 405 -> "not this method";
      case 408 -> "too slow";
      case 409 -> "not possible now";
      case 412 -> "changed meanwhile";
      case 413 -> "too large";
      case 415 -> "not this type";
      case 422 -> "not valid";
      case 429 -> "too many";
      case 502, 503 -> "a site failed";
      default -> "failed";
    };
  }
}
