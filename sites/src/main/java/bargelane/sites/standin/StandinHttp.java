package bargelane.sites.standin;

import bargelane.sites.Acting;
import bargelane.sites.SiteException;
import bargelane.sites.SiteException.Kind;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.MappingIterator;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.RuntimeJsonMappingException;
import java.io.IOException;
import java.io.InputStream;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.net.http.HttpTimeoutException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.Consumer;

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

  String site() {
    return site;
  }

  JsonNode get(String path) {
    return json(send("GET", path, Optional.empty(), "application/json"));
  }

  /** The same, waiting only so long. */
  JsonNode get(String path, Duration patience) {
    HttpRequest request = request("GET", path, Optional.empty(), "application/json", patience);
    return json(answered(exchange(request, BodyHandlers.ofByteArray())));
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
      throw garbled(e);
    }
  }

  /** An answer to read while it comes; the caller closes it. */
  InputStream stream(String path) {
    HttpResponse<InputStream> response =
        exchange(
            request("GET", path, Optional.empty(), "application/json", TIMEOUT),
            BodyHandlers.ofInputStream());
    if (response.statusCode() < 300) {
      return new StallGuardedStream(response.body(), TIMEOUT);
    }
    try (InputStream body = response.body()) {
      throw refused(response.statusCode(), body.readAllBytes());
    } catch (IOException e) {
      throw refused(response.statusCode(), new byte[0]);
    }
  }

  /** Hands over the elements of an array one after the other, while they come. */
  void each(String path, Consumer<JsonNode> element) {
    try (InputStream in = stream(path);
        MappingIterator<JsonNode> elements = JSON.readerFor(JsonNode.class).readValues(in)) {
      while (elements.hasNext()) {
        element.accept(elements.next());
      }
    } catch (JacksonException | RuntimeJsonMappingException e) {
      throw garbled(e);
    } catch (IOException e) {
      throw unreachable(e);
    }
  }

  private SiteException garbled(Exception e) {
    return new SiteException(
        Kind.FINAL, "garbled", site + " answered something that is not JSON", e);
  }

  private byte[] send(String method, String path, Optional<byte[]> body, String type) {
    return answered(
        exchange(request(method, path, body, type, TIMEOUT), BodyHandlers.ofByteArray()));
  }

  private byte[] answered(HttpResponse<byte[]> response) {
    if (response.statusCode() < 300) {
      return response.body();
    }
    throw refused(response.statusCode(), response.body());
  }

  private HttpRequest request(
      String method, String path, Optional<byte[]> body, String type, Duration patience) {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(base.resolve(path))
            .timeout(patience)
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", type)
            .method(method, body.map(BodyPublishers::ofByteArray).orElse(BodyPublishers.noBody()));
    if (!method.equals("GET")) {
      Acting.current()
          .ifPresent(
              a -> request.header("Acting-For", a.key()).header("Acting-Epoch", a.epoch() + ""));
    }
    return request.build();
  }

  private static Duration limit(HttpRequest request) {
    return request.timeout().orElseThrow();
  }

  private <T> HttpResponse<T> exchange(HttpRequest request, HttpResponse.BodyHandler<T> handler) {
    CompletableFuture<HttpResponse<T>> answer = HTTP.sendAsync(request, handler);
    try {
      // The request's own limit ends with the answer's head.
      return answer.get(limit(request).toMillis(), TimeUnit.MILLISECONDS);
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io
          ? unreachable(io)
          : new IllegalStateException(e.getCause());
    } catch (TimeoutException e) {
      answer.cancel(true);
      throw unreachable(
          new HttpTimeoutException("no whole answer in " + limit(request).toSeconds() + " s"));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          Kind.MAY_PASS, "interrupted", "the call to " + site + " was interrupted", e);
    }
  }

  /** The site went away before or within an answer. */
  SiteException unreachable(IOException e) {
    return new SiteException(
        Kind.MAY_PASS,
        "unreachable",
        site
            + " does not answer at "
            + base
            + ": "
            + (e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage()),
        e);
  }

  private SiteException refused(int status, byte[] body) {
    String code = "http-" + status;
    String message = "status " + status;
    try {
      JsonNode problem = JSON.readTree(body);
      code = problem.path("code").asText(code);
      message = problem.path("message").asText(message);
    } catch (IOException e) {
      message += ", and the answer is not JSON";
    }
    Kind kind =
        code.equals("marker-lost") ? Kind.MARKER_LOST : status >= 500 ? Kind.MAY_PASS : Kind.FINAL;
    return new SiteException(kind, code, site + ": " + message, null);
  }
}
