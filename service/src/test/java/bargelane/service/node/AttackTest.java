package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetSocketAddress;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CopyOnWriteArrayList;
import org.junit.jupiter.api.Test;

/** What somebody without credentials, or with few, tries on the wire. */
class AttackTest extends Served {

  /** Others are answered meanwhile, and not when it is over. */
  private static void othersAreServed() throws Exception {
    assertEquals(200, call("GET", "/health", "", null).statusCode());
    assertEquals(200, call("GET", "/machines", owner, null).statusCode());
  }

  /** A connection to the service over TLS. */
  private static Socket socket() throws IOException {
    return trust.context().getSocketFactory().createSocket(at().getHost(), at().getPort());
  }

  private static URI at() {
    return URI.create(node.address());
  }

  /** Speaks as no library would; gives what comes back until the service closes or is silent. */
  private static String raw(String text) throws IOException {
    try (Socket socket = socket()) {
      socket.setSoTimeout(3000);
      socket.getOutputStream().write(text.getBytes(StandardCharsets.ISO_8859_1));
      StringBuilder back = new StringBuilder();
      try {
        InputStream in = socket.getInputStream();
        for (int b = in.read(); b >= 0; b = in.read()) {
          back.append((char) b);
        }
      } catch (IOException e) {
        // It keeps the connection for the next request.
      }
      return back.toString();
    }
  }

  private static String post(String path, String headers, String body) {
    return "POST " + path + " HTTP/1.1\r\nHost: x\r\n" + headers + "\r\n" + body;
  }

  @Test
  void bodiesThatNobodySignedInForAreNotRead() throws Exception {
    byte[] large = new byte[60 << 20];
    Arrays.fill(large, (byte) 'a');
    List<CompletableFuture<HttpResponse<String>>> all = new ArrayList<>();
    for (int i = 0; i < 12; i++) {
      HttpRequest r =
          request("POST", i % 2 == 0 ? "/api/v1/sign-in" : "/api/v1/usage", "", null)
              .method("POST", BodyPublishers.ofByteArray(large))
              .header("Content-Type", "application/json")
              .build();
      all.add(http.sendAsync(r, BodyHandlers.ofString()));
    }
    othersAreServed();
    for (var one : all) {
      try {
        int status = one.get().statusCode();
        assertTrue(status == 413 || status == 401, "status " + status);
      } catch (java.util.concurrent.ExecutionException e) {
        // The service closed the connection while the body was still coming.
        assertTrue(e.getCause() instanceof IOException, String.valueOf(e.getCause()));
      }
    }
    othersAreServed();
  }

  @Test
  void connectionsThatSayHalfOfWhatTheyHaveToHoldNobodyUp() throws Exception {
    List<Socket> silent = new ArrayList<>();
    try {
      for (int i = 0; i < 300; i++) {
        Socket socket = socket();
        silent.add(socket);
        OutputStream out = socket.getOutputStream();
        String half =
            switch (i % 3) {
              case 0 ->
                  post(
                      "/api/v1/sign-in",
                      "Content-Type: application/json\r\nContent-Length: 500\r\n",
                      "{\"acc");
              case 1 ->
                  post(
                      "/api/v1/sign-in",
                      "Content-Type: application/json\r\nTransfer-Encoding: chunked\r\n",
                      "5\r\n{\"a");
              default -> "GET /api/v1/machines HTTP/1.1\r\nHost: x\r\nX-Half: ";
            };
        out.write(half.getBytes(StandardCharsets.US_ASCII));
      }
      othersAreServed();
    } finally {
      for (Socket socket : silent) {
        socket.close();
      }
    }
  }

  @Test
  void bodiesThatAreNoneAreProblems() throws Exception {
    String chunk =
        raw(
            post(
                "/api/v1/sign-in",
                "Content-Type: application/json\r\nTransfer-Encoding: chunked\r\nConnection: close\r\n",
                "zz\r\nnot a chunk\r\n0\r\n\r\n"));
    assertTrue(chunk.startsWith("HTTP/1.1 400"), chunk);
    Map<String, Integer> bodies =
        Map.of(
            "{\"account\":\"x\",\"password\":\"" + "p".repeat(100) + "\"}",
            401,
            "{\"account\":\"a\\u0000b\",\"password\":\"x\"}",
            422,
            "{\"account\":\"a\\ud800b\",\"password\":\"x\"}",
            422,
            "{\"account\":\"x\",\"password\":\"x\"} and more",
            400,
            "{\"account\":\"x\",\"account\":\"y\",\"password\":\"x\"}",
            400,
            "[".repeat(5000),
            400,
            "{\"account\":" + "[".repeat(500) + "]".repeat(500) + "}",
            400,
            "null",
            400,
            "{\"account\":\"x\",\"password\":\"x\",\"admin\":true}",
            400);
    for (var body : bodies.entrySet()) {
      HttpResponse<String> r = call("POST", "/sign-in", "", body.getKey());
      String shown = body.getKey().substring(0, Math.min(60, body.getKey().length()));
      assertTrue(
          r.statusCode() == body.getValue() || r.statusCode() == 422 || r.statusCode() == 429,
          shown + ": " + r.statusCode() + " " + r.body());
      code(r);
    }
  }

  @Test
  void anotherMethodThanThatOfTheFirstLineIsNotTaken() throws Exception {
    done(
        "POST",
        "/credentials",
        owner,
        Map.of("name", "kept", "type", "token", "secret", "s", "destinations", List.of("any")));
    for (String method : List.of("GET", "POST", "HEAD")) {
      HttpResponse<String> r =
          send(
              request(method, "/api/v1/credentials/kept", owner, null)
                  .header("X-HTTP-Method-Override", "DELETE"));
      assertTrue(r.statusCode() >= 400, method + " " + r.statusCode());
    }
    assertEquals(200, call("GET", "/credentials/kept", owner, null).statusCode());
    HttpResponse<String> patch = call("PATCH", "/credentials/kept", owner, null);
    assertEquals(405, patch.statusCode());
    assertEquals("method-unknown", code(patch));
    assertEquals("DELETE, GET, PUT", patch.headers().firstValue("Allow").orElse(""));
    assertEquals(405, call("HEAD", "/machines", owner, null).statusCode());
    assertEquals(405, call("HEAD", "/nothing-such", owner, null).statusCode());
    assertEquals(405, call("DELETE", "/health", "", null).statusCode());
    assertEquals(404, call("POST", "/nothing-such", owner, null).statusCode());
  }

  @Test
  void pathsAndParametersThatAreNoneAreProblems() throws Exception {
    for (String path :
        List.of(
            "/machines/%00",
            "/machines/a%0Ab",
            "/machines?size=-1",
            "/machines?size=501",
            "/machines?page=99999999",
            "/machines?size=1e3",
            "/machines?sort=%00",
            "/machines?filter=" + "x".repeat(5000),
            "/waves/" + "w".repeat(5000),
            "/events?after=9223372036854775808")) {
      HttpResponse<String> r = call("GET", path, owner, null);
      assertTrue(r.statusCode() >= 400 && r.statusCode() < 500, path + ": " + r.statusCode());
      code(r);
    }
    for (String line :
        List.of(
            "GET /api/v1/../../etc/passwd HTTP/1.1",
            "GET /api/v1/%2e%2e/%2e%2e/etc/passwd HTTP/1.1",
            "GET /assets/..%2f..%2f..%2fetc/passwd HTTP/1.1",
            "GET //etc/passwd HTTP/1.1",
            "GET /api/v1/machines/%zz HTTP/1.1",
            "GET /api/v1/machines\\x HTTP/1.1",
            "BREW /api/v1/health HTTP/1.1")) {
      String back = raw(line + "\r\nHost: x\r\nConnection: close\r\n\r\n");
      assertFalse(back.contains("root:"), line);
      assertFalse(back.startsWith("HTTP/1.1 5"), line + ": " + back.substring(0, 60));
    }
    String twice =
        raw(
            "GET /api/v1/health HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nContent-Length: 50\r\nConnection: close\r\n\r\n");
    assertTrue(twice.startsWith("HTTP/1.1 400"), twice);
  }

  @Test
  void healthTellsAStrangerNothingOfWhatItRunsOn() throws Exception {
    HttpResponse<String> r = call("GET", "/health", "", null);
    JsonNode health = JSON.readTree(r.body());
    assertFalse(health.has("database"));
    assertEquals("", r.headers().firstValue("Server").orElse(""));
  }

  @Test
  void readersOfEventsHaveALimitAndOthersAreServed() throws Exception {
    String token = account("reader-of-events", "reader");
    List<HttpResponse<InputStream>> open = new ArrayList<>();
    try {
      int refused = 0;
      for (int i = 0; i < 60; i++) {
        HttpResponse<InputStream> r =
            http.send(
                request("GET", "/api/v1/events/stream", token, null)
                    .header("Accept", "text/event-stream")
                    .build(),
                BodyHandlers.ofInputStream());
        if (r.statusCode() == 429) {
          refused++;
          r.body().close();
        } else {
          open.add(r);
        }
      }
      assertTrue(refused >= 30, refused + " refused");
      othersAreServed();
    } finally {
      for (HttpResponse<InputStream> r : open) {
        r.body().close();
      }
    }
  }

  @Test
  void aStoredSecretIsSentNowhereElseThanWhereItWasStoredFor() throws Exception {
    List<String> reached = new CopyOnWriteArrayList<>();
    HttpServer taker = HttpServer.create(new InetSocketAddress("127.0.0.1", 0), 0);
    taker.createContext(
        "/",
        x -> {
          reached.add(x.getRequestHeaders().getFirst("Authorization"));
          x.sendResponseHeaders(401, -1);
          x.close();
        });
    taker.start();
    try {
      String here = "127.0.0.1:" + taker.getAddress().getPort();
      Map<String, Object> bound =
          Map.of("name", "bound", "type", "token", "secret", "told-to-nobody");
      assertEquals("destinations-missing", code(call("POST", "/credentials", owner, bound)));
      assertEquals(
          "destinations-too-many",
          code(call("POST", "/credentials", owner, with(bound, List.of("a".repeat(300))))));
      for (String wrong : List.of("https://a", "10.20.0.0/40", "*")) {
        assertEquals(
            "destination-malformed",
            code(call("POST", "/credentials", owner, with(bound, List.of(wrong)))),
            wrong);
      }
      done("POST", "/credentials", owner, with(bound, List.of("127.0.0.1:1", "10.20.0.0/16")));
      Map<String, Object> taking =
          Map.of("name", "taker", "address", "http://" + here, "credentials", List.of("bound"));
      HttpResponse<String> refused = call("POST", "/sites", owner, taking);
      assertEquals("credential-not-for-address", code(refused));
      assertTrue(refused.body().contains("127.0.0.1:1, 10.20.0.0/16"), refused.body());
      // Neither can it be given to a site that is there already, nor be told to go elsewhere
      // without it.
      done(
          "POST",
          "/sites",
          owner,
          Map.of("name", "taker", "address", "http://" + here, "token", "its-own"));
      assertEquals(
          "credential-not-for-address",
          code(
              call(
                  "PUT",
                  "/sites/taker/credentials",
                  owner,
                  Map.of("credentials", List.of("bound")))));
      assertEquals(
          "secret-missing",
          code(call("PUT", "/credentials/bound", owner, Map.of("destinations", List.of("any")))));
      call("POST", "/sites/taker/check", owner, null);
      assertFalse(reached.isEmpty());
      assertTrue(reached.stream().noneMatch(a -> a.contains("told-to-nobody")), reached + "");
      // Its own is for that address alone, and can't be taken away from a site that uses it.
      JsonNode own = done("GET", "/credentials/taker", owner, null);
      assertEquals(here, own.path("destinations").path(0).asText());
      assertEquals(
          "credential-not-for-address",
          code(
              call(
                  "PUT",
                  "/credentials/taker",
                  owner,
                  Map.of("secret", "x", "destinations", List.of("10.20.0.0/16")))));
      // With the secret it goes where it is said.
      done(
          "PUT",
          "/credentials/bound",
          owner,
          Map.of("secret", "new", "destinations", List.of(here)));
      done("PUT", "/sites/taker/credentials", owner, Map.of("credentials", List.of("bound")));
      reached.clear();
      call("POST", "/sites/taker/check", owner, null);
      assertTrue(reached.stream().allMatch("Bearer new"::equals), reached + "");
    } finally {
      taker.stop(0);
    }
  }

  private static Map<String, Object> with(Map<String, Object> body, List<String> destinations) {
    Map<String, Object> all = new HashMap<>(body);
    all.put("destinations", destinations);
    return all;
  }

  @Test
  void aKeyIsForOneRequestWithOneBody() throws Exception {
    String body =
        JSON.writeValueAsString(
            Map.of("name", "one", "type", "token", "secret", "s", "destinations", List.of("any")));
    HttpResponse<String> first = keyed("/api/v1/credentials", owner, body, "key-1");
    assertEquals(201, first.statusCode());
    assertEquals(first.body(), keyed("/api/v1/credentials", owner, body, "key-1").body());
    HttpResponse<String> other =
        keyed("/api/v1/credentials", owner, body.replace("one", "two"), "key-1");
    assertEquals(422, other.statusCode());
    assertEquals("key-reused", code(other));
    String mate = account("keyed", "keeper");
    assertEquals("key-reused", code(keyed("/api/v1/credentials", mate, body, "key-1")));
    assertEquals("key-malformed", code(keyed("/api/v1/credentials", owner, body, "k".repeat(500))));
  }

  private static HttpResponse<String> keyed(String path, String token, String body, String key)
      throws Exception {
    return send(request("POST", path, token, body).header("Idempotency-Key", key));
  }

  @Test
  void thingsMadeUnderOneNameAtOnceAreOneAndTheOthersConflict() throws Exception {
    for (var make :
        Map.of(
                "/credentials",
                    Map.of(
                        "name",
                        "same",
                        "type",
                        "token",
                        "secret",
                        "s",
                        "destinations",
                        List.of("any")),
                "/accounts", Map.of("name", "same", "roles", List.of("reader")),
                "/timetables",
                    Map.of("name", "same", "rpoSeconds", 900, "everySeconds", 300, "keepPoints", 6))
            .entrySet()) {
      List<CompletableFuture<HttpResponse<String>>> all = new ArrayList<>();
      for (int i = 0; i < 12; i++) {
        all.add(
            http.sendAsync(
                request(
                        "POST",
                        "/api/v1" + make.getKey(),
                        owner,
                        JSON.writeValueAsString(make.getValue()))
                    .build(),
                BodyHandlers.ofString()));
      }
      int made = 0;
      for (var one : all) {
        HttpResponse<String> r = one.get();
        if (r.statusCode() == 201) {
          made++;
        } else {
          assertEquals(409, r.statusCode(), make.getKey() + ": " + r.body());
        }
      }
      assertEquals(1, made, make.getKey());
    }
  }

  @Test
  void aTokenThatWasStolenFromAReaderChangesNothing() throws Exception {
    String stolen = account("victim", "reader");
    assertEquals(403, call("POST", "/tokens", stolen, Map.of("name", "mine")).statusCode());
    assertEquals(
        403,
        call("PUT", "/accounts/victim", stolen, Map.of("roles", List.of("keeper"))).statusCode());
    assertEquals(403, call("POST", "/waves/x/cutover", stolen, Map.of()).statusCode());
    assertNotEquals(
        204,
        call(
                "PUT",
                "/me/password",
                stolen,
                Map.of("current", "guess", "password", "quite another one"))
            .statusCode());
  }
}
