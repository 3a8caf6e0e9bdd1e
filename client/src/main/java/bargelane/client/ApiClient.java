package bargelane.client;

import bargelane.api.Page;
import bargelane.api.Problem;
import bargelane.api.Remedy;
import bargelane.api.Trust;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JavaType;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.deser.std.StdScalarDeserializer;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.datatype.jdk8.Jdk8Module;
import com.fasterxml.jackson.datatype.jsr310.JavaTimeModule;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpRequest.BodyPublishers;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.UUID;
import java.util.stream.Stream;

/** The service's API as a program uses it: JSON in and out, problems as exceptions. */
public final class ApiClient {

  public static final ObjectMapper JSON =
      new ObjectMapper()
          .registerModule(new JavaTimeModule())
          .registerModule(new Jdk8Module())
          .disable(com.fasterxml.jackson.databind.SerializationFeature.WRITE_DATES_AS_TIMESTAMPS)
          // Money keeps its cents: 4394.80 stays that.
          .enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS)
          .setNodeFactory(JsonNodeFactory.withExactBigDecimals(true))
          .configure(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES, false);

  private static final ObjectMapper SHOWN =
      JSON.copy().registerModule(new SimpleModule().addDeserializer(String.class, new Shown()));

  private static final class Shown extends StdScalarDeserializer<String> {
    private static final long serialVersionUID = 1;

    Shown() {
      super(String.class);
    }

    @Override
    public String deserialize(JsonParser p, DeserializationContext context) throws IOException {
      return Output.shown(p.getValueAsString());
    }
  }

  /** The service answered with a problem. */
  public static final class ProblemException extends RuntimeException {
    private static final long serialVersionUID = 1;
    private final transient Problem problem;

    public ProblemException(Problem problem) {
      super(problem.detail());
      this.problem = problem;
    }

    public Problem problem() {
      return problem;
    }
  }

  /** The service does not answer. */
  public static final class UnreachableException extends RuntimeException {
    private static final long serialVersionUID = 1;

    public UnreachableException(URI service, IOException cause) {
      super(
          "the service does not answer at "
              + service
              + (cause.getMessage() == null ? "" : ": " + cause.getMessage()),
          cause);
    }
  }

  /** Who answers shows a certificate that is not to be trusted. */
  public static final class UntrustedException extends RuntimeException {
    private static final long serialVersionUID = 1;
    private final String remedy;

    UntrustedException(URI service, Trust.UntrustedException why) {
      super(
          why.expected()
              .map(
                  expected ->
                      service
                          + " shows another certificate than the one that is known: its fingerprint is "
                          + why.shown()
                          + ", not "
                          + expected)
              .orElseGet(
                  () ->
                      "the certificate of "
                          + service
                          + " is not one that is trusted here ("
                          + why.getMessage()
                          + "); its fingerprint is "
                          + why.shown()),
          why);
      remedy =
          why.expected().isPresent()
              ? "ask a keeper whether the certificate was changed; if it was not, somebody is between you and the service"
              : "compare that with the fingerprint that the service prints at its start; if they are the same, give it with --fingerprint or BARGELANE_FINGERPRINT";
    }

    /** What to do. */
    public String remedy() {
      return remedy;
    }
  }

  private final HttpClient http;
  private static final Duration PATIENCE = Duration.ofSeconds(60);

  /** A removal ends when a site has let go of everything. */
  private static final Duration REMOVAL = Duration.ofMinutes(10);

  private final URI service;
  private final String token;

  /**
   * @param trust whom to take for the service
   */
  public ApiClient(URI service, String token, Trust trust) {
    this.service = service;
    this.token = token;
    HttpClient.Builder builder =
        HttpClient.newBuilder()
            .version(HttpClient.Version.HTTP_1_1)
            // With the handshake, which a busy host takes seconds for.
            .connectTimeout(Duration.ofSeconds(10));
    if ("https".equals(service.getScheme())) {
      builder.sslContext(trust.context());
    }
    http = builder.build();
  }

  /**
   * The service of a home on this machine, with the token of its owner.
   *
   * @throws IOException if no service was started from there
   */
  public static ApiClient ofHome(Path home) throws IOException {
    return new ApiClient(
        URI.create(line(home, "address")),
        line(home, "token"),
        Trust.pinned(line(home, "fingerprint")));
  }

  private static String line(Path home, String file) throws IOException {
    return Files.readString(home.resolve("service").resolve(file)).strip();
  }

  private HttpRequest.Builder request(String path) {
    if (path.matches("[^?]*/(/[^?]*)?([?].*)?")) {
      throw new Common.UsageException("a name is empty: give the name or id of what is meant");
    }
    return HttpRequest.newBuilder(service.resolve("/api/v1" + path))
        .header("Authorization", "Bearer " + token);
  }

  public JsonNode get(String path) {
    return send(request(path).timeout(PATIENCE).GET().build());
  }

  public <T> Answer<T> get(String path, Class<T> type) {
    return as(get(path), JSON.constructType(type));
  }

  public <T> Answer<List<T>> list(String path, Class<T> type) {
    return as(get(path), listOf(type));
  }

  public <T> Answer<Page<T>> page(String path, Class<T> type) {
    return as(get(path), JSON.getTypeFactory().constructParametricType(Page.class, type));
  }

  public <T> Answer<T> post(String path, Object body, Class<T> type) {
    return post(path, body, type, PATIENCE);
  }

  public <T> Answer<T> post(String path, Object body, Class<T> type, Duration patience) {
    return as(post(path, body, patience), JSON.constructType(type));
  }

  public <T> Answer<T> put(String path, Object body, Class<T> type) {
    return as(put(path, body), JSON.constructType(type));
  }

  /** Changes what has not changed since it was read with this ETag. */
  public <T> Answer<T> put(String path, Object body, String etag, Class<T> type) {
    return as(put(path, body, etag), JSON.constructType(type));
  }

  public <T> Answer<List<T>> putForList(String path, Object body, Class<T> type) {
    return as(put(path, body), listOf(type));
  }

  public <T> Answer<List<T>> postForList(String path, Object body, Class<T> type) {
    return as(post(path, body), listOf(type));
  }

  /** The type of a list, for {@link #as}. */
  static JavaType listOf(Class<?> type) {
    return JSON.getTypeFactory().constructCollectionType(List.class, type);
  }

  /**
   * JSON as the record that it is. What a machine or a guest calls itself may hold anything: in the
   * record its characters that would command a terminal are shown instead.
   */
  static <T> Answer<T> as(JsonNode json, JavaType type) {
    try {
      return new Answer<>(json, SHOWN.readValue(SHOWN.treeAsTokens(json), type));
    } catch (IOException e) {
      throw new ProblemException(
          notOurs(200, "the answer is not what this version expects: " + e.getMessage()));
    }
  }

  public JsonNode post(String path, Object body) {
    return post(path, body, PATIENCE);
  }

  /** Posts what may take its time, such as a long list. */
  public JsonNode post(String path, Object body, Duration patience) {
    return send(
        json(
            request(path).header("Idempotency-Key", UUID.randomUUID().toString()).timeout(patience),
            "POST",
            body));
  }

  public JsonNode put(String path, Object body) {
    return send(json(request(path).timeout(PATIENCE), "PUT", body));
  }

  /** Changes what has not changed since it was read with this ETag. */
  public JsonNode put(String path, Object body, String etag) {
    return send(json(request(path).header("If-Match", etag).timeout(PATIENCE), "PUT", body));
  }

  public JsonNode delete(String path) {
    return send(request(path).timeout(REMOVAL).DELETE().build());
  }

  private static HttpRequest json(HttpRequest.Builder builder, String method, Object body) {
    try {
      byte[] bytes =
          body == null
              ? "{}".getBytes(java.nio.charset.StandardCharsets.UTF_8)
              : JSON.writeValueAsBytes(body);
      return builder
          .header("Content-Type", "application/json")
          .method(method, BodyPublishers.ofByteArray(bytes))
          .build();
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  /** A page or a list that is no JSON. */
  public String text(String path) {
    return new String(
        bytes(request(path).timeout(PATIENCE).GET().build()),
        java.nio.charset.StandardCharsets.UTF_8);
  }

  private JsonNode send(HttpRequest request) {
    byte[] body = bytes(request);
    try {
      return body.length == 0 ? JSON.nullNode() : JSON.readTree(body);
    } catch (IOException e) {
      throw new ProblemException(notOurs(200, "the answer of " + service + " is not JSON"));
    }
  }

  /** What is told of an answer that the service does not give. */
  private static Problem notOurs(int status, String detail) {
    return new Problem(
        "about:blank",
        "failed",
        status,
        "http-" + status,
        detail,
        Remedy.advice("see that the address is that of the service"));
  }

  private byte[] bytes(HttpRequest request) {
    try {
      HttpResponse<byte[]> r = http.send(request, BodyHandlers.ofByteArray());
      if (r.statusCode() >= 300) {
        throw new ProblemException(problem(r));
      }
      return r.body();
    } catch (IOException e) {
      throw unreachable(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("interrupted", e);
    }
  }

  private RuntimeException unreachable(IOException e) {
    return Trust.reason(e)
        .<RuntimeException>map(u -> new UntrustedException(service, u))
        .orElseGet(() -> new UnreachableException(service, e));
  }

  private static Problem problem(HttpResponse<byte[]> r) throws IOException {
    try {
      Problem told = SHOWN.readValue(r.body(), Problem.class);
      if (told != null && told.code() != null && told.detail() != null) {
        return told;
      }
    } catch (com.fasterxml.jackson.core.JacksonException e) {
      // It is no problem of ours.
    }
    return notOurs(r.statusCode(), "the answer has status " + r.statusCode());
  }

  /** Lines of the event stream, from now on, until it is closed. */
  public Stream<String> events() {
    try {
      return http.send(
              request("/events/stream").header("Accept", "text/event-stream").GET().build(),
              BodyHandlers.ofLines())
          .body();
    } catch (IOException e) {
      throw unreachable(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException("interrupted", e);
    }
  }
}
