package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.net.URLEncoder;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;

/**
 * Calls all operations of the API's document with values that are meant and not meant: each is
 * answered in time, and each refusal is a problem document. The seed is told, so that a failure can
 * be had again.
 */
@Former.Data(schema = 19)
class FuzzTest extends Served {

  private static final int CALLS = Integer.getInteger("fuzz.calls", 4000);
  private static final long SEED = Long.getLong("fuzz.seed", 20261130L);
  private static final int CALLERS = 4;

  /** What is there. */
  private static final List<String> NAMES =
      List.of(
          "mill-street",
          "saltmarsh",
          "lending",
          "lending-db",
          "mill-to-marsh",
          "brisk",
          "estate",
          "fenwater-2026",
          "engineer");

  private static final List<String> TEXTS =
      List.of(
          "",
          " ",
          "x",
          "lane",
          "saltmarsh",
          "standin",
          "on",
          "observed",
          "2026-11-30T00:00:00Z",
          "+999999999-12-31T23:59:59Z",
          "1e-9999999",
          "-1",
          "'; drop table account; --",
          "=cmd|' /C calc'!A0",
          "../../etc/passwd",
          "%00",
          "\u0000",
          "\u001b[2J",
          "\ud83d\ude00",
          "\ud800",
          "a".repeat(3000),
          "10.0.0.0/33",
          "fe80::1%eth0",
          "http://127.0.0.1:1",
          "label.app = 'x' and (",
          "name has 'x'");

  private static final List<String> NUMBERS =
      List.of(
          "0",
          "-1",
          "1",
          "99999",
          "2147483648",
          "9223372036854775807",
          "9223372036854775808",
          "1e400",
          "1e-9999999",
          "0.1",
          "-0",
          "999999999999999999999999999999999999999999");

  private record Operation(String method, String path, JsonNode told) {}

  private static JsonNode document;

  @Test
  void everyCallIsAnsweredAndEveryRefusalIsAProblem() throws Exception {
    document = done("GET", "/openapi.json", owner, null);
    List<Operation> all = new ArrayList<>();
    for (var path : (Iterable<Map.Entry<String, JsonNode>>) document.path("paths")::fields) {
      for (var one : (Iterable<Map.Entry<String, JsonNode>>) path.getValue()::fields) {
        // Signing out would end it all, and password guesses wait.
        if (!path.getKey().matches(".*/(sign-out|sign-in|me/password)")) {
          all.add(
              new Operation(one.getKey().toUpperCase(Locale.ROOT), path.getKey(), one.getValue()));
        }
      }
    }
    Map<String, String> failed = new TreeMap<>();
    Map<Integer, Integer> statuses = new TreeMap<>();
    ExecutorService threads = Executors.newFixedThreadPool(CALLERS);
    try {
      List<Future<?>> callers = new ArrayList<>();
      for (int c = 0; c < CALLERS; c++) {
        Random random = new Random(SEED + c);
        callers.add(
            threads.submit(
                () -> {
                  for (int i = 0; i < CALLS / CALLERS; i++) {
                    Operation o = all.get(random.nextInt(all.size()));
                    fuzz(o, random, failed, statuses);
                  }
                  return null;
                }));
      }
      for (Future<?> one : callers) {
        one.get();
      }
    } finally {
      threads.shutdownNow();
    }
    assertEquals(Map.of(), failed, "of seed " + SEED + "; statuses " + statuses);
    assertTrue(
        statuses.keySet().stream().anyMatch(s -> s < 300)
            && statuses.getOrDefault(422, 0) > CALLS / 50,
        "it comes further than the door: " + statuses);
  }

  private static void fuzz(
      Operation o, Random random, Map<String, String> failed, Map<Integer, Integer> statuses)
      throws Exception {
    StringBuilder path = new StringBuilder(o.path.replaceAll("\\{\\w+}", segment(random)));
    String mark = "?";
    for (JsonNode p : o.told.path("parameters")) {
      if (p.path("in").asText().equals("query") && random.nextInt(3) == 0) {
        String value = random.nextBoolean() ? pick(NUMBERS, random) : pick(TEXTS, random);
        path.append(mark).append(p.path("name").asText()).append('=').append(encoded(value));
        mark = "&";
      }
    }
    String body = null;
    JsonNode schema =
        o.told.path("requestBody").path("content").path("application/json").path("schema");
    if (!schema.isMissingNode()) {
      body = random.nextInt(25) == 0 ? broken(random) : value(schema, random, 0).toString();
    }
    String call = o.method + " " + o.path;
    try {
      HttpResponse<String> r =
          send(request(o.method, path.toString(), owner, body).timeout(Duration.ofSeconds(20)));
      synchronized (failed) {
        statuses.merge(r.statusCode(), 1, Integer::sum);
        boolean problem =
            r.headers()
                .firstValue("Content-Type")
                .orElse("")
                .startsWith("application/problem+json");
        // A site of ours that does not answer is a failure of that site.
        boolean site = problem && r.body().contains("\"code\":\"site-");
        if (r.statusCode() >= 500 && !site || r.statusCode() >= 400 && !problem) {
          failed.putIfAbsent(
              call, r.statusCode() + " to " + path + " with " + body + ": " + r.body());
        }
      }
    } catch (java.io.IOException e) {
      synchronized (failed) {
        failed.putIfAbsent(call, e + " to " + path + " with " + body);
      }
    }
  }

  private static String segment(Random random) {
    return random.nextInt(3) == 0
        ? encoded(pick(TEXTS, random))
        : pick(random.nextInt(3) == 0 ? List.of("x", "lane", "1") : NAMES, random);
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8).replace("+", "%20");
  }

  private static String broken(Random random) {
    return pick(List.of("{", "[]", "null", "1", "\"x\"", "{\"x\":", "{}{}", "\u0000"), random);
  }

  private static <T> T pick(List<T> all, Random random) {
    return all.get(random.nextInt(all.size()));
  }

  /** A value that a schema asks for, or, now and then, another one. */
  private static JsonNode value(JsonNode schema, Random random, int depth) throws Exception {
    if (random.nextInt(12) == 0) {
      return JSON.getNodeFactory().nullNode();
    }
    JsonNode s = schema;
    if (s.has("allOf")) {
      s = s.path("allOf").path(0);
    }
    if (s.has("$ref")) {
      s = document.at(s.path("$ref").asText().substring(1));
    }
    switch (random.nextInt(20) == 0 ? "" : s.path("type").asText()) {
      case "object":
        ObjectNode object = JSON.createObjectNode();
        for (var p : (Iterable<Map.Entry<String, JsonNode>>) s.path("properties")::fields) {
          if (p.getKey().equals("waitSeconds")) {
            object.put("waitSeconds", -1); // what waits is tried elsewhere
          } else if (random.nextInt(6) > 0 && depth < 6) {
            object.set(p.getKey(), value(p.getValue(), random, depth + 1));
          }
        }
        if (s.path("additionalProperties").isObject()) {
          object.set(pick(TEXTS, random), value(s.path("additionalProperties"), random, depth + 1));
        }
        if (random.nextInt(30) == 0) {
          object.put("unknown", 1);
        }
        return object;
      case "array":
        ArrayNode array = JSON.createArrayNode();
        for (int i = random.nextInt(4); i > 0 && depth < 6; i--) {
          array.add(value(s.path("items"), random, depth + 1));
        }
        return array;
      case "integer", "number":
        return number(random);
      case "boolean":
        return JSON.getNodeFactory().booleanNode(random.nextBoolean());
      case "string":
        return text(s, random);
      default:
        return random.nextBoolean() ? number(random) : text(s, random);
    }
  }

  private static JsonNode text(JsonNode schema, Random random) {
    JsonNode words = schema.path("enum");
    return JSON.getNodeFactory()
        .textNode(
            words.size() > 0 && random.nextInt(4) > 0
                ? words.path(random.nextInt(words.size())).asText()
                : pick(random.nextInt(3) == 0 ? NAMES : TEXTS, random));
  }

  private static JsonNode number(Random random) throws Exception {
    return random.nextInt(3) == 0
        ? JSON.readTree(pick(NUMBERS, random))
        : JSON.getNodeFactory().numberNode(random.nextInt(2000));
  }
}
