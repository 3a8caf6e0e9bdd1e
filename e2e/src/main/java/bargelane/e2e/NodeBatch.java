package bargelane.e2e;

import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.function.Consumer;

/**
 * Two nodes of the service on one database, behind one address. In the middle of passes, tests,
 * cutovers and failbacks, at a step that is drawn from a seed, the node that does the work is
 * killed: the other one ends it, one copy of each machine runs, and no write of a machine is
 * missing. The node that was killed comes back before the next one is.
 */
public final class NodeBatch implements AutoCloseable {

  private static final List<String> MACHINES = List.of("lending-db", "lending-app");
  private static final List<String> PACE = List.of("--lease", "2s", "--heartbeat", "500ms");
  private static final String FIRST = "service";
  private static final String SECOND = "node-2";

  /** What is done in turn, so that each finds what it needs. */
  private static final List<String> WORK = List.of("pass", "test", "cutover", "pass", "failback");

  private final Consumer<String> say;
  private final Harness harness;
  private final Front front;
  private final ApiClient api;
  private final Journey journey;
  private String home = "mill-street";

  /** Starts everything and loads the wave. */
  public NodeBatch(Consumer<String> say) throws IOException {
    this.say = say;
    harness = Harness.create().database().estate("estate").cloud().service(PACE);
    harness.node(SECOND, PACE);
    front = new Front(() -> List.of(harness.addressOf(FIRST), harness.addressOf(SECOND)));
    api = new ApiClient(front.address(), harness.token(), harness.trust());
    journey = new Journey(api, line -> {});
    journey.prepare(harness, 5, 60);
    journey.work("load");
    journey.awaitPoint(Instant.now());
  }

  /** Kills as often; each one's seed is the first one's and its number. */
  public void run(int count, long seed) throws IOException {
    for (int i = 0; i < count; i++) {
      String work = WORK.get(i % WORK.size());
      // Seeds that follow each other begin alike otherwise.
      Random random = new Random((seed + i) * 0x9E3779B97F4A7C15L);
      long begun = System.nanoTime();
      String how = work.equals("pass") ? pass() : move(work, random);
      holds(seed + i, work);
      say.accept(
          String.format(
              Locale.ROOT,
              "seed %d: %s, %s; ended by the other after %.1f s",
              seed + i,
              work,
              how,
              (System.nanoTime() - begun) / 1e9));
    }
  }

  /** The node whose tug ships a pass is killed; the pass, or one after it, is at its end. */
  private String pass() throws IOException {
    Platform source = home.equals("mill-street") ? harness.estate() : harness.saltmarsh();
    source.faults(-1, -1, 300, -1, "");
    JsonNode shipped = awaitShipped();
    String killed =
        nodeOf(one("select tug from pass where id = ?", shipped.path("id").asText()).orElse(""));
    harness.kill(killed);
    source.noFaults();
    journey.awaitPoint(Instant.now());
    comeBack(killed);
    return killed + " killed while its tug ships";
  }

  private JsonNode awaitShipped() throws IOException {
    for (int i = 0; i < 1200; i++) {
      JsonNode newest = api.get("/waves/lending/passes").path(0);
      if (newest.path("state").asText().equals("leased") && newest.path("done").asLong() > 0) {
        return newest;
      }
      Harness.pause(50);
    }
    throw new IllegalStateException("no pass was shipped");
  }

  /** The node that carries out a move is killed at one of its steps. */
  private String move(String verb, Random random) throws IOException {
    Map<String, Object> asked =
        verb.equals("test") ? Map.of() : Map.of("confirm", "lending", "override", "rehearsed");
    String run = api.post("/waves/lending/" + verb, asked).path("id").asText();
    List<String> steps = new ArrayList<>();
    for (JsonNode s : api.get("/runs/" + run).path("steps")) {
      steps.add(s.path("name").asText());
    }
    // The last step may be over before anybody is killed.
    String step = steps.get(random.nextInt(steps.size() - 1));
    journey.begun(run, step);
    String killed = worker(run, random);
    harness.kill(killed);
    JsonNode ended = Follow.run(api, run, line -> {}).json();
    if (!ended.path("state").asText().equals("done")) {
      throw new IllegalStateException(verb + ", killed at " + step + ": " + ended.path("problem"));
    }
    if (!verb.equals("test")) {
      home = verb.equals("cutover") ? "saltmarsh" : "mill-street";
    }
    comeBack(killed);
    return killed + " killed at '" + step + "'";
  }

  /** Who carries a run out; where it waits for something, either. */
  private String worker(String run, Random random) throws IOException {
    Optional<String> by = one("select picked_by from scheduled_tasks where task_instance = ?", run);
    if (by.isPresent()) {
      return nodeOf(by.get());
    }
    return random.nextBoolean() ? FIRST : SECOND;
  }

  /** The process of a node, or of its tug. */
  private static String nodeOf(String named) {
    return named.startsWith(SECOND) ? SECOND : FIRST;
  }

  /** What the database says of one thing; none if nothing. */
  private Optional<String> one(String query, String id) throws IOException {
    String password = Files.readString(harness.home().resolve("database/password")).strip();
    try (Connection db = DriverManager.getConnection(harness.databaseUrl(), "bargelane", password);
        PreparedStatement sql = db.prepareStatement(query)) {
      sql.setString(1, id);
      try (ResultSet r = sql.executeQuery()) {
        return r.next() ? Optional.ofNullable(r.getString(1)) : Optional.empty();
      }
    } catch (SQLException e) {
      throw new IOException(e);
    }
  }

  private void comeBack(String node) throws IOException {
    if (node.equals(SECOND)) {
      harness.node(SECOND, PACE);
    } else {
      harness.service(PACE);
    }
  }

  /** One copy of each machine runs, where it should, and has every record that was written. */
  private void holds(long seed, String work) throws IOException {
    boolean atHome = home.equals("mill-street");
    Platform here = atHome ? harness.estate() : harness.saltmarsh();
    Platform there = atHome ? harness.saltmarsh() : harness.estate();
    for (String machine : MACHINES) {
      boolean one = runs(here, machine) && !runs(there, machine);
      boolean whole = here.writeFailures(machine) == 0;
      for (String disk : here.disks(machine)) {
        whole &= Rings.missing(here.ring(disk)) == 0;
      }
      if (!one || !whole) {
        throw new IllegalStateException(
            "seed "
                + seed
                + ", after "
                + work
                + ": "
                + machine
                + (one ? " has not all that it wrote" : " does not run once, at " + home));
      }
    }
  }

  private static boolean runs(Platform at, String machine) throws IOException {
    for (JsonNode m : at.call("GET", "/v1/inventory", null).path("machines")) {
      if (m.path("name").asText().equals(machine)) {
        return m.path("on").asBoolean();
      }
    }
    return false;
  }

  @Override
  public void close() throws IOException {
    front.close();
    harness.close();
  }
}
