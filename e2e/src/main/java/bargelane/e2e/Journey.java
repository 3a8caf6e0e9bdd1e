package bargelane.e2e;

import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.MissingNode;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.function.Predicate;

/**
 * The steps of the example as calls of the API; the demo, the tour and the tests make the same
 * ones.
 */
public final class Journey {

  public static final String WAVE = "lending";

  /** How long a slow machine may take; nothing waits that long that goes well. */
  private static final Duration PATIENCE = Duration.ofMinutes(5);

  private final ApiClient api;
  private final Consumer<String> say;
  private final Killing killing;

  /**
   * The service killed in the middle of work, and started again.
   *
   * @param steps for each verb the steps that its runs are killed at, one a run; a run more is left
   *     alone
   */
  public record Killing(Map<String, Deque<String>> steps, Runnable kill) {
    static final Killing NONE = new Killing(Map.of(), () -> {});
  }

  public Journey(ApiClient api, Consumer<String> say) {
    this(api, say, Killing.NONE);
  }

  public Journey(ApiClient api, Consumer<String> say, Killing killing) {
    this.api = api;
    this.say = say;
    this.killing = killing;
  }

  public JsonNode addSite(String name, Platform at) {
    return api.post(
        "/sites",
        Map.of("name", name, "kind", "standin", "address", at.address(), "token", at.token()));
  }

  public JsonNode check(String site) {
    return api.post("/sites/" + site + "/check", null);
  }

  /** Scans and gives what changed. */
  public JsonNode scan(String site) {
    return work("/sites/" + site + "/scan", null).path("result");
  }

  /** Starts work and follows it to its end, whatever that is. */
  public JsonNode follow(String path, Object body) {
    String run = api.post(path, body).path("id").asText();
    Deque<String> steps = killing.steps.get(path.substring(path.lastIndexOf('/') + 1));
    String step = steps == null ? null : steps.poll();
    if (step != null) {
      begun(run, step);
      say.accept("  the service is killed at step '" + step + "'");
      killing.kill.run();
    }
    return Follow.run(api, run, say).json();
  }

  /** Waits until a step of a run has begun. */
  void begun(String run, String step) {
    long until = System.nanoTime() + PATIENCE.toNanos();
    while (System.nanoTime() < until) {
      for (JsonNode s : api.get("/runs/" + run).path("steps")) {
        if (s.path("name").asText().equals(step) && !s.path("state").asText().equals("waiting")) {
          return;
        }
      }
      try {
        Harness.pause(50);
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
    throw new IllegalStateException("step '" + step + "' of " + run + " did not begin");
  }

  /** Starts work and follows it; fails unless it is done. */
  public JsonNode work(String path, Object body) {
    JsonNode run = follow(path, body);
    if (!run.path("state").asText().equals("done")) {
      throw new IllegalStateException(
          run.path("title").asText() + " failed: " + run.path("problem").path("detail").asText());
    }
    return run;
  }

  public JsonNode assess() {
    return api.post(
        "/assessments",
        Map.of("machines", List.of("lending-db", "lending-app"), "target", "saltmarsh"));
  }

  /** A machine of an assessment's newest revision, with its derivations. */
  public JsonNode assessed(JsonNode assessment, String machine) {
    return api.get("/assessments/" + assessment.path("id").asText() + "/machines/" + machine);
  }

  /** The price books of both targets. */
  public void books() {
    for (String book : List.of("saltmarsh-2026", "fenwater-2026")) {
      api.post(
          "/price-books",
          Map.of("name", book, "csv", resource("/demo/" + book + ".csv"), "dryRun", false));
    }
  }

  /** The price books of both targets, and the whole estate assessed for each. */
  public void estate() {
    books();
    api.post(
        "/assessments",
        Map.of(
            "name",
            "estate",
            "filter",
            "site = mill-street",
            "target",
            "saltmarsh",
            "book",
            "saltmarsh-2026"));
    api.post(
        "/assessments",
        Map.of("name", "estate-fenwater", "filter", "site = mill-street", "book", "fenwater-2026"));
  }

  private static String resource(String name) {
    try (java.io.InputStream in = Journey.class.getResourceAsStream(name)) {
      return new String(in.readAllBytes(), java.nio.charset.StandardCharsets.UTF_8);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  public void size(String assessment) {
    for (String machine : List.of("lending-db", "lending-app")) {
      api.put("/waves/" + WAVE + "/size", Map.of("machine", machine, "assessment", assessment));
    }
  }

  /** A subnet for each network of the demo estate. */
  static final Map<String, String> NETWORKS =
      Map.of(
          "net-data", "sub-data",
          "net-staff", "sub-staff",
          "net-public", "sub-public",
          "net-kiosks", "sub-kiosks",
          "net-archive", "sub-archive",
          "net-rooms", "sub-rooms");

  public JsonNode lane(Map<String, String> networks) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", "mill-to-marsh");
    body.put("from", "mill-street");
    body.put("to", "saltmarsh");
    body.put("networks", networks);
    body.put("storages", Map.of("shelf-a", "reed", "shelf-b", "mud"));
    body.put("zone", "tide-1");
    body.put("keepAddresses", true);
    return api.post("/lanes", body);
  }

  public void timetable(int every, int rpo, int keep) {
    api.post(
        "/timetables",
        Map.of(
            "name",
            "brisk",
            "everySeconds",
            every,
            "rpoSeconds",
            rpo,
            "keepPoints",
            keep,
            "verify",
            true));
  }

  public JsonNode plan() {
    return api.post(
        "/waves",
        Map.of(
            "name",
            WAVE,
            "lane",
            "mill-to-marsh",
            "timetable",
            "brisk",
            "machines",
            List.of(
                Map.of("machine", "lending-db", "rank", 1),
                Map.of("machine", "lending-app", "rank", 2))));
  }

  public JsonNode wave() {
    return api.get("/waves/" + WAVE);
  }

  public JsonNode work(String verb) {
    return work("/waves/" + WAVE + "/" + verb, Map.of());
  }

  public JsonNode confirmed(String verb) {
    return work("/waves/" + WAVE + "/" + verb, Map.of("confirm", WAVE));
  }

  /** Everything up to a planned wave that holds its preflight. */
  public void prepare(Harness harness, int every, int rpo) {
    prepare(harness.estate(), harness.saltmarsh(), every, rpo);
  }

  /** The same, with the platforms reached in other ways. */
  public void prepare(Platform estate, Platform cloud, int every, int rpo) {
    addSite("mill-street", estate);
    addSite("saltmarsh", cloud);
    scan("mill-street");
    scan("saltmarsh");
    lane(NETWORKS);
    timetable(every, rpo, 6);
    plan();
    size(assess().path("id").asText());
  }

  /**
   * Looks at the wave until it is as wanted; what is waited for is made by the service's own clock.
   */
  public JsonNode await(String what, Predicate<JsonNode> wanted) throws IOException {
    long until = System.nanoTime() + PATIENCE.toNanos();
    while (true) {
      JsonNode wave = waveOrNone();
      if (!wave.isMissingNode() && wanted.test(wave)) {
        return wave;
      }
      if (System.nanoTime() > until) {
        throw new IllegalStateException(
            "not within "
                + PATIENCE.toSeconds()
                + " s: "
                + what
                + "; the wave is "
                + wave.path("state").asText()
                + ", next: "
                + wave.path("nextAction")
                + ", last pass "
                + wave.path("lastPass"));
      }
      Harness.pause(200);
    }
  }

  /** Pauses the replication, and gives the wave once no pass is in any of its steps. */
  public JsonNode pause() throws IOException {
    api.post("/waves/" + WAVE + "/pause", null);
    return await(
        "no pass runs",
        w -> {
          for (JsonNode run : api.get("/runs?open=true&passes=true")) {
            if (run.path("kind").asText().equals("pass")) {
              return false;
            }
          }
          return true;
        });
  }

  /** The wave; missing while the database is away. */
  private JsonNode waveOrNone() {
    try {
      return wave();
    } catch (ApiClient.ProblemException e) {
      if (e.problem().status() != 503) {
        throw e;
      }
      return MissingNode.getInstance();
    }
  }

  /** Complete passes of a kind, oldest first: the timetable may have begun another meanwhile. */
  public List<JsonNode> passes(String kind) throws IOException {
    List<JsonNode> found = new ArrayList<>();
    for (JsonNode p : api.get("/waves/" + WAVE + "/passes")) {
      if (p.path("kind").asText().equals(kind) && p.path("state").asText().equals("complete")) {
        found.add(0, p);
      }
    }
    return found;
  }

  /** Waits for a recovery point whose instant is after {@code instant}. */
  public JsonNode awaitPoint(Instant instant) throws IOException {
    return await(
        "a recovery point after " + instant,
        w -> {
          boolean there =
              w.path("newestAsOf").isTextual()
                  && Instant.parse(w.path("newestAsOf").asText()).isAfter(instant);
          if (!there && !w.path("lastPass").path("endedAt").isNull()) {
            passNow();
          }
          return there;
        });
  }

  /** Asks for a pass instead of waiting for the timetable's; while none may begin it is waited. */
  private void passNow() {
    try {
      api.post("/waves/lending/passes", null);
    } catch (ApiClient.ProblemException e) {
      if (e.problem().status() != 409 && e.problem().status() < 500) {
        throw e;
      }
    } catch (ApiClient.UnreachableException e) {
      // It is being killed or started: the next look says.
    }
  }

  /** Whether one gate of all machines is open. */
  public static boolean open(JsonNode wave, String gate) {
    for (JsonNode m : wave.path("machines")) {
      for (JsonNode g : m.path("gates")) {
        if (g.path("gate").asText().equals(gate) && !g.path("open").asBoolean()) {
          return false;
        }
      }
    }
    return true;
  }
}
