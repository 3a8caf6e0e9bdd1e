package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.account.Need;
import bargelane.core.account.Role;
import bargelane.core.word.Worded;
import bargelane.service.http.Reach;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.InputStream;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;

/** Each endpoint is called with each role: what it declares is what holds. */
class AccessTest extends Served {

  /** An operation of the API's document and what it needs. */
  private record Operation(
      String method, String path, Set<Need> needs, Reach reach, String summary) {}

  private static List<Operation> operations() throws Exception {
    List<Operation> all = new ArrayList<>();
    JsonNode paths = done("GET", "/openapi.json", owner, null).path("paths");
    for (var path : (Iterable<Map.Entry<String, JsonNode>>) paths::fields) {
      for (var one : (Iterable<Map.Entry<String, JsonNode>>) path.getValue()::fields) {
        Set<Need> needs = EnumSet.noneOf(Need.class);
        one.getValue().path("x-needs").forEach(n -> needs.add(Worded.of(Need.class, n.asText())));
        assertFalse(needs.isEmpty(), path.getKey() + " declares nothing");
        all.add(
            new Operation(
                one.getKey().toUpperCase(Locale.ROOT),
                path.getKey().substring("/api/v1".length()),
                needs,
                Worded.of(Reach.class, one.getValue().path("x-limited").asText()),
                one.getValue().path("summary").asText()));
      }
    }
    return all;
  }

  @Test
  void whatAnEndpointDeclaresIsWhatHolds() throws Exception {
    Map<Role, String> tokens = new LinkedHashMap<>();
    for (Role role : Role.ofPeople()) {
      tokens.put(role, account("only-" + role.word(), role.word()));
    }
    tokens.put(
        Role.TUG,
        done("POST", "/tokens", owner, Map.of("name", "far", "tug", "far"))
            .path("secret")
            .asText());
    int allowed = 0;
    int refused = 0;
    for (Operation o : operations()) {
      if (o.needs.contains(Need.NOTHING)) {
        continue;
      }
      String path = o.path.replaceAll("\\{\\w+}", "nothing-such");
      assertEquals(401, call(o.method, path, "", null).statusCode(), o.toString());
      assertEquals(401, call(o.method, path, "made-up", null).statusCode(), o.toString());
      for (var role : tokens.entrySet()) {
        // Signing out is tried with a token that may be gone then.
        String token =
            o.path.equals("/sign-out") && role.getKey() != Role.TUG
                ? token("only-" + role.getKey().word())
                : role.getValue();
        HttpResponse<String> r = call(o.method, path, token, null);
        boolean may = Role.allow(Set.of(role.getKey()), o.needs);
        if (may) {
          allowed++;
          assertFalse(
              r.statusCode() == 403 && code(r).equals("not-allowed"),
              role.getKey() + " at " + o + ": " + r.body());
          assertNotEquals(401, r.statusCode(), role.getKey() + " at " + o);
        } else {
          refused++;
          assertEquals(403, r.statusCode(), role.getKey() + " at " + o + ": " + r.body());
          assertEquals("not-allowed", code(r));
        }
      }
    }
    assertTrue(allowed > 200 && refused > 200, allowed + " allowed, " + refused + " refused");
  }

  @Test
  void theMatrixInTheDocumentationIsOfThisBuild() throws Exception {
    StringBuilder table = new StringBuilder("| call | what it does |");
    Role.ofPeople().forEach(r -> table.append(' ').append(r.word()).append(" |"));
    table
        .append(" tug | limited |\n|---|---|")
        .append("---|".repeat(Role.values().length + 1))
        .append('\n');
    for (Operation o : operations()) {
      table.append("| `").append(o.method).append(' ').append(o.path).append("` | ");
      table.append(o.summary).append(" |");
      for (Role role : Role.values()) {
        table.append(Role.allow(Set.of(role), o.needs) ? " yes |" : "  |");
      }
      table.append(' ').append(o.reach == Reach.NONE ? "" : o.reach.word()).append(" |\n");
    }
    Path page = Path.of("../docs/access.md");
    String now = Files.exists(page) ? Files.readString(page) : "";
    String wanted = head() + table;
    if (!now.equals(wanted)) {
      Files.writeString(Path.of("target/access.md"), wanted);
    }
    assertEquals(wanted, now, "cp service/target/access.md docs/access.md");
  }

  private static String head() {
    String needs =
        Role.ofPeople().stream().map(r -> "`" + r.word() + "`").collect(Collectors.joining(", "));
    return """
        # Who may call what

        Made by `AccessTest` from what each endpoint declares; the same test calls each of them with each role.
        An account has any of the roles %s; it may do what any of them may. A tug's token is for leases only, and for
        its own. Calls for which every role says yes need a sign-in; `/health` and `/sign-in` need none.

        Roles may be limited to the machines of a filter; `limited` tells what a call is then good for. A wave is their own
        if all its machines are; a thing that is not answers as if it were not there. Where nothing is told, the call is refused.

        """
        .formatted(needs);
  }

  @Test
  void aTugsTokenTakesAndReportsForItsOwnOnly() throws Exception {
    String token =
        done("POST", "/tokens", owner, Map.of("name", "own", "tug", "own-tug"))
            .path("secret")
            .asText();
    assertEquals(
        204, call("POST", "/leases", token, Map.of("tug", "own-tug", "version", "1")).statusCode());
    HttpResponse<String> other =
        call("POST", "/leases", token, Map.of("tug", "other-tug", "version", "1"));
    assertEquals(403, other.statusCode());
    assertEquals(
        403, call("POST", "/leases/pass-of-others/failed", token, Map.of("epoch", 1)).statusCode());
  }

  @Test
  void aSessionIsForItsCookieAndItsWritesCarryItsValue() throws Exception {
    String token = account("mate", "reader");
    String in =
        JSON.writeValueAsString(
            Map.of("account", "mate", "password", "long enough " + "mate".hashCode()));
    HttpResponse<String> fixed =
        send(request("POST", "/api/v1/sign-in", "", in).header("Cookie", "bargelane=chosen"));
    String cookie = fixed.headers().firstValue("Set-Cookie").orElseThrow();
    assertTrue(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), cookie);
    String session = cookie.substring(0, cookie.indexOf(';'));
    String secret = session.substring("bargelane=".length());
    assertNotEquals("chosen", secret, "a session's secret is never one that came in");
    assertEquals(401, call("GET", "/me", secret, null).statusCode(), "a cookie is no token");
    assertEquals(
        401,
        send(request("GET", "/api/v1/me", "", null).header("Cookie", "bargelane=" + token))
            .statusCode());
    HttpResponse<String> mine =
        send(request("GET", "/api/v1/me", "", null).header("Cookie", session));
    assertEquals(
        "no-store", mine.headers().firstValue("Cache-Control").orElse(""), "kept by no browser");
    JsonNode me = JSON.readTree(mine.body());
    assertEquals("reader", me.path("roles").path(0).asText());
    assertEquals(
        "csrf-missing",
        code(send(request("POST", "/api/v1/sign-out", "", null).header("Cookie", session))));
    assertEquals(
        403,
        send(request("POST", "/api/v1/sign-out", "", null)
                .header("Cookie", session)
                .header("X-CSRF", "guessed"))
            .statusCode());
    HttpResponse<String> form =
        send(
            request("POST", "/api/v1/sign-in", "", null)
                .method("POST", java.net.http.HttpRequest.BodyPublishers.ofString(in))
                .header("Content-Type", "text/plain"));
    assertEquals("type-unknown", code(form), "a form of another site's page");
    HttpResponse<InputStream> stream =
        http.send(
            request("GET", "/api/v1/events/stream", "", null)
                .header("Cookie", session)
                .header("Accept", "text/event-stream")
                .build(),
            BodyHandlers.ofInputStream());
    assertEquals(200, stream.statusCode());
    assertEquals(
        204,
        send(request("POST", "/api/v1/sign-out", "", null)
                .header("Cookie", session)
                .header("X-CSRF", me.path("csrf").asText()))
            .statusCode());
    String told = assertTimeoutPreemptively(Duration.ofSeconds(10), () -> rest(stream));
    assertTrue(told.startsWith(": open") || told.startsWith(":open"), told);
    assertEquals(
        401, send(request("GET", "/api/v1/me", "", null).header("Cookie", session)).statusCode());
  }

  /** What a stream tells until it ends or is cut off. */
  private static String rest(HttpResponse<InputStream> stream) {
    StringBuilder told = new StringBuilder();
    try (InputStream in = stream.body()) {
      for (int b = in.read(); b >= 0; b = in.read()) {
        told.append((char) b);
      }
    } catch (IOException e) {
      // Ended too.
    }
    return told.toString();
  }

  @Test
  void whatIsAskedAndRefusedIsInTheAuditWithoutItsSecrets() throws Exception {
    String mate = account("audited", "reader");
    call("POST", "/waves", mate, Map.of("name", "mine"));
    call("POST", "/lanes", owner, Map.of("name", "nowhere", "from", "x", "to", "y"));
    done(
        "POST",
        "/credentials",
        owner,
        Map.of(
            "name",
            "kept",
            "type",
            "token",
            "secret",
            "never-to-be-seen",
            "destinations",
            List.of("any")));
    call("POST", "/sign-in", "", Map.of("account", "audited", "password", "never-to-be-seen"));
    // What strangers send that is no try to sign in leaves nothing.
    call("POST", "/sign-in", "", "{\"account\":");
    call("POST", "/sign-in", "", Map.of("account", "audited", "captain", true));
    JsonNode page = done("GET", "/audit?size=200", owner, null);
    JsonNode newest = page.path("items").path(0);
    assertEquals(401, newest.path("status").asInt(), newest.toString());
    assertEquals("audited", newest.path("account").asText());
    assertTrue(newest.path("asked").asText().contains("audited"));
    assertFalse(page.toString().contains("never-to-be-seen"));
    JsonNode lane = page.path("items").path(2);
    JsonNode asked = page.path("items").path(3);
    assertEquals("/api/v1/lanes", asked.path("path").asText());
    assertEquals(asked.path("id").asLong(), lane.path("of").asLong(), "refused after it was begun");
    assertTrue(lane.path("status").asInt() >= 400);
    JsonNode wave = done("GET", "/audit?account=audited&refused=true", owner, null);
    assertEquals("sign-in-refused", wave.path("items").path(0).path("code").asText());
    assertEquals("not-allowed", wave.path("items").path(1).path("code").asText());
    JsonNode check = done("GET", "/audit/check", owner, null);
    assertEquals("", check.path("broken").asText());
    assertEquals(403, call("GET", "/audit", mate, null).statusCode());
  }

  @Test
  void aRevokedTokenIsWorthNothingAtOnce() throws Exception {
    String token = account("brief", "keeper");
    assertEquals(200, call("GET", "/accounts", token, null).statusCode());
    String id = done("GET", "/tokens?account=brief", owner, null).path(0).path("id").asText();
    done("DELETE", "/tokens/" + id, owner, null);
    assertEquals(401, call("GET", "/accounts", token, null).statusCode());
    String other =
        done("POST", "/tokens", owner, Map.of("name", "t", "account", "brief"))
            .path("secret")
            .asText();
    done("PUT", "/accounts/brief", owner, Map.of("roles", List.of("reader")));
    assertEquals(403, call("GET", "/accounts", other, null).statusCode());
    done("DELETE", "/accounts/brief", owner, null);
    assertEquals(401, call("GET", "/me", other, null).statusCode());
  }
}
