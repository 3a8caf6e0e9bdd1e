package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Trust;
import bargelane.service.guest.AgentListener;
import bargelane.service.http.SecureListener;
import bargelane.service.platform.TestDatabase;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.TestInfo;
import org.junit.jupiter.api.io.TempDir;

/** A node of the service in this process, with nothing in it but its first account. */
abstract class Served {

  static {
    // Connections that nobody uses are closed here before the service closes them.
    System.setProperty("jdk.httpclient.keepalive.timeout", "5");
  }

  static final ObjectMapper JSON = new ObjectMapper();
  static final SecureListener.Where LOOPBACK =
      new SecureListener.Where(
          InetSocketAddress.createUnresolved("127.0.0.1", 0), Optional.empty());

  static HttpClient http;

  @TempDir static Path home;
  static TestDatabase database;
  static BargeLane node;
  static String owner;
  static Trust trust;

  @BeforeAll
  static void begin(TestInfo test) throws IOException {
    database = TestDatabase.apart();
    Former.Data data = test.getTestClass().orElseThrow().getAnnotation(Former.Data.class);
    if (data != null) {
      Former.into(database, home, data.schema());
    }
    node =
        new BargeLane(
            new BargeLane.Options(
                home,
                LOOPBACK,
                database.url,
                "bargelane",
                database.password,
                "served",
                false,
                new AgentListener.Where(InetSocketAddress.createUnresolved("127.0.0.1", 0), ""),
                Pace.USUAL,
                BargeLane.Kept.USUAL),
            Clock.systemUTC());
    owner = Files.readString(home.resolve("token")).strip();
    trust = Trust.pinned(Files.readString(home.resolve("fingerprint")));
    http =
        HttpClient.newBuilder()
            .version(HttpClient.Version.HTTP_1_1)
            .connectTimeout(Duration.ofSeconds(5))
            .sslContext(trust.context())
            .build();
  }

  @AfterAll
  static void end() throws IOException {
    node.close();
    database.close();
    assertTrue(
        Thread.getAllStackTraces().keySet().stream().noneMatch(t -> t.getName().equals("sse")),
        "no reader of events outlives its node");
  }

  static HttpRequest.Builder request(String method, String path, String token, String body) {
    HttpRequest.Builder r =
        HttpRequest.newBuilder(URI.create(node.address() + path))
            .timeout(Duration.ofSeconds(60))
            .method(method, body == null ? BodyPublishers.noBody() : BodyPublishers.ofString(body));
    if (!token.isEmpty()) {
      r.header("Authorization", "Bearer " + token);
    }
    if (body != null) {
      r.header("Content-Type", "application/json");
    }
    return r;
  }

  static HttpResponse<String> send(HttpRequest.Builder request) throws Exception {
    return http.send(request.build(), BodyHandlers.ofString());
  }

  static HttpResponse<String> call(String method, String path, String token, Object body)
      throws Exception {
    return send(
        request(
            method,
            "/api/v1" + path,
            token,
            body == null
                ? null
                : body instanceof String text ? text : JSON.writeValueAsString(body)));
  }

  /** The answer as JSON; fails unless it is a success. */
  static JsonNode done(String method, String path, String token, Object body) throws Exception {
    HttpResponse<String> r = call(method, path, token, body);
    if (r.statusCode() >= 300) {
      throw new AssertionError(method + " " + path + ": " + r.statusCode() + " " + r.body());
    }
    return r.body().isEmpty() ? JSON.nullNode() : JSON.readTree(r.body());
  }

  /** The code of a refusal that is a problem document. */
  static String code(HttpResponse<String> r) throws IOException {
    String type = r.headers().firstValue("Content-Type").orElse("");
    if (!type.startsWith("application/problem+json")) {
      throw new AssertionError(r.statusCode() + " as '" + type + "': " + r.body());
    }
    return JSON.readTree(r.body()).path("code").asText();
  }

  /** The token of a new account with these roles. */
  static String account(String name, String... roles) throws Exception {
    done(
        "POST",
        "/accounts",
        owner,
        Map.of("name", name, "password", "long enough " + name.hashCode(), "roles", roles));
    return token(name);
  }

  /** Another token of an account. */
  static String token(String account) throws Exception {
    return done("POST", "/tokens", owner, Map.of("name", "test", "account", account))
        .path("secret")
        .asText();
  }
}
