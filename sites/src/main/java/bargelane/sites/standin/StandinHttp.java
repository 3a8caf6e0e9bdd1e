package bargelane.sites.standin;

import bargelane.sites.SiteException;
import bargelane.sites.SiteException.Kind;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;

/**
 * Calls of a simulated platform's control interface, with its errors sorted into the three kinds.
 */
final class StandinHttp {

  static final ObjectMapper JSON =
      new ObjectMapper().configure(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES, false);

  private static final Duration TIMEOUT = Duration.ofSeconds(60);
  private static final HttpClient HTTP =
      HttpClient.newBuilder()
          .version(HttpClient.Version.HTTP_1_1)
          .connectTimeout(Duration.ofSeconds(3))
          .build();

  private final String site;
  private final URI base;
  private final String token;

  StandinHttp(String site, URI base, String token) {
    this.site = site;
    this.base = base;
    this.token = token;
  }

  static String escape(String part) {
    return URLEncoder.encode(part, StandardCharsets.UTF_8).replace("+", "%20");
  }

  JsonNode get(String path) {
    return json(send("GET", path, Optional.empty(), "application/json"));
  }

  byte[] bytes(String path) {
    return send("GET", path, Optional.empty(), "application/json");
  }

  JsonNode send(String method, String path, Object body) {
    try {
      return json(
          send(method, path, Optional.of(JSON.writeValueAsBytes(body)), "application/json"));
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  void put(String path, byte[] body) {
    send("PUT", path, Optional.of(body), "application/octet-stream");
  }

  void delete(String path) {
    send("DELETE", path, Optional.empty(), "application/json");
  }

  private JsonNode json(byte[] body) {
    try {
      return body.length == 0 ? JSON.nullNode() : JSON.readTree(body);
    } catch (IOException e) {
      throw new SiteException(
          Kind.FINAL, "garbled", site + " answered something that is not JSON", e);
    }
  }

  private byte[] send(String method, String path, Optional<byte[]> body, String type) {
    HttpRequest request =
        HttpRequest.newBuilder(base.resolve(path))
            .timeout(TIMEOUT)
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", type)
            .method(method, body.map(BodyPublishers::ofByteArray).orElse(BodyPublishers.noBody()))
            .build();
    HttpResponse<byte[]> response;
    try {
      response = HTTP.send(request, BodyHandlers.ofByteArray());
    } catch (IOException e) {
      throw new SiteException(
          Kind.MAY_PASS,
          "unreachable",
          site
              + " does not answer at "
              + base
              + ": "
              + (e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage()),
          e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          Kind.MAY_PASS, "interrupted", "the call to " + site + " was interrupted", e);
    }
    if (response.statusCode() < 300) {
      return response.body();
    }
    String code = "http-" + response.statusCode();
    String message = "status " + response.statusCode();
    try {
      JsonNode problem = JSON.readTree(response.body());
      code = problem.path("code").asText(code);
      message = problem.path("message").asText(message);
    } catch (IOException e) {
      message += ", and the answer is not JSON";
    }
    Kind kind =
        code.equals("marker-lost")
            ? Kind.MARKER_LOST
            : response.statusCode() >= 500 ? Kind.MAY_PASS : Kind.FINAL;
    throw new SiteException(kind, code, site + ": " + message, null);
  }
}
