package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDigest;
import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentLinkedQueue;
import org.junit.jupiter.api.Test;

/**
 * Whether a machine runs once, seen from outside of the service, while a platform can't be reached
 * and runs on.
 */
class OneCopyTest {

  private static final List<String> MACHINES = List.of("lending-db", "lending-app");
  private static final long LOOK_MS = 20;
  private static final Map<String, Object> CUTOVER =
      Map.of("confirm", "lending", "override", "rehearsed");

  private ApiClient api;
  private Journey journey;
  private Platform estate;
  private Platform cloud;

  private void begin(Harness harness, Platform towardsEstate, Platform towardsCloud)
      throws IOException {
    api = harness.api();
    journey = new Journey(api, line -> {});
    estate = harness.estate();
    cloud = harness.saltmarsh();
    journey.prepare(towardsEstate, towardsCloud, 5, 600);
    journey.work("load");
    journey.awaitPoint(Instant.now());
  }

  /** Those of our machines that run at a platform, by one look at it. */
  private static Set<String> running(Platform at) throws IOException {
    Set<String> found = new HashSet<>();
    for (JsonNode m : at.call("GET", "/v1/inventory", null).path("machines")) {
      if (MACHINES.contains(m.path("name").asText()) && m.path("on").asBoolean()) {
        found.add(m.path("name").asText());
      }
    }
    return found;
  }

  private boolean allRun(Platform at) throws IOException {
    return running(at).size() == MACHINES.size();
  }

  private boolean anyRuns(Platform at) throws IOException {
    return !running(at).isEmpty();
  }

  /** Looks all the while that no machine runs at both platforms. */
  private final class Observer extends Thread implements AutoCloseable {

    private final ConcurrentLinkedQueue<String> seen = new ConcurrentLinkedQueue<>();
    private volatile boolean over;

    Observer() {
      super("observer");
      start();
    }

    @Override
    public void run() {
      while (!over) {
        try {
          Set<String> both = running(estate);
          both.retainAll(running(cloud));
          if (!both.isEmpty()) {
            seen.add("two copies of " + both + " at " + Instant.now());
          }
          // A look takes about as long; a copy that runs does so for longer.
          Harness.pause(LOOK_MS);
        } catch (IOException e) {
          seen.add("the observer saw nothing: " + e);
        }
      }
    }

    @Override
    public void close() throws IOException {
      over = true;
      try {
        join();
      } catch (InterruptedException e) {
        throw new IOException(e);
      }
      assertEquals(List.of(), List.copyOf(seen));
    }
  }

  private boolean needs(String words) {
    for (JsonNode need : api.get("/overview").path("needs")) {
      if (need.toString().contains(words)) {
        return true;
      }
    }
    return false;
  }

  private void until(Gate gate) throws IOException {
    for (int i = 0; !gate.isShut() && i < 1200; i++) {
      Harness.pause(50);
    }
    assertTrue(gate.isShut());
  }

  /** Moves whose other side goes away before, while and after machines stop and start. */
  @Test
  void aMoveThatBacksOutNeverLeavesTwoCopiesAndNeverNone() throws IOException {
    try (Harness harness = Harness.light().all();
        Gate home = new Gate(harness.estate());
        Gate gate = new Gate(harness.saltmarsh())) {
      begin(harness, home.behind(), gate.behind());
      try (Observer observer = new Observer()) {
        stoppedWithoutAnAnswer(home);
        for (String at : List.of("define", "start", "probe")) {
          cutOff(gate, "/waves/lending/cutover", CUTOVER, at);
          journey.awaitPoint(Instant.now());
        }
        cutOff(gate, "/waves/lending/failover", Map.of("confirm", "lending"), "start");
        journey.awaitPoint(Instant.now());
        undoneWithoutAnAnswer(gate);
      }
    }
  }

  /** The target goes away in the middle of a move, which is stopped. */
  private void cutOff(Gate gate, String move, Map<String, Object> asked, String at)
      throws IOException {
    if (at.equals("start")) {
      // It is made, and nobody hears of it.
      gate.shutAfter("/start ");
    }
    String run = api.post(move, asked).path("id").asText();
    if (!at.equals("start")) {
      journey.begun(run, at.equals("probe") ? "start-1" : at);
      for (int i = 0; at.equals("probe") && !anyRuns(cloud) && i < 1200; i++) {
        Harness.pause(50);
      }
      gate.shut();
    }
    until(gate);
    boolean started = anyRuns(cloud);
    assertEquals(!at.equals("define"), started, at);
    api.post("/runs/" + run + "/stop", null);
    boolean told = false;
    for (int i = 0; started && !told && i < 600; i++) {
      told = needs("take-back") || needs("Remove what was made at the target");
      Harness.pause(50);
    }
    assertTrue(
        told || !started,
        "the overview says what it waits for: " + api.get("/overview").path("needs"));
    if (started) {
      Harness.pause(3000);
      assertTrue(anyRuns(cloud) && !anyRuns(estate), "it waits for the target");
    }
    gate.open();
    assertEquals("stopped", Follow.run(api, run, line -> {}).value().problem().code(), at);
    assertTrue(allRun(estate) && !anyRuns(cloud), at);
  }

  /** A landing is taken back; the target stops its machines, and nobody hears that it did. */
  private void undoneWithoutAnAnswer(Gate gate) throws IOException {
    journey.work("/waves/lending/cutover", CUTOVER);
    assertTrue(allRun(cloud) && !anyRuns(estate));
    gate.shutAfter("/stop ");
    String run = api.post("/waves/lending/undo", Map.of("confirm", "lending")).path("id").asText();
    until(gate);
    Harness.pause(1000);
    assertFalse(anyRuns(estate), "it waits for the target");
    gate.open();
    Follow.run(api, run, line -> {});
    assertTrue(allRun(estate) && !anyRuns(cloud));
  }

  /** What a source was asked to stop, and did, without its answer being heard, runs in the end. */
  private void stoppedWithoutAnAnswer(Gate home) throws IOException {
    home.shutAfter("/stop ");
    String run = api.post("/waves/lending/cutover", CUTOVER).path("id").asText();
    until(home);
    assertFalse(allRun(estate), "it did what it was asked");
    api.post("/runs/" + run + "/stop", null);
    home.open();
    assertEquals("stopped", Follow.run(api, run, line -> {}).value().problem().code());
    assertTrue(allRun(estate) && !anyRuns(cloud));
  }

  /** The source is back after a failover, and kept; the other side writes until it is stopped. */
  @Test
  void theReturnedSideIsKeptWholeThoughBothWrote() throws IOException {
    try (Harness harness = Harness.light().all();
        Gate gate = new Gate(harness.estate())) {
      begin(harness, gate.behind(), harness.saltmarsh());
      gate.shut();
      // Nobody said that it is lost: that is told at once, and nothing waits for it afterwards.
      String refused =
          api.post("/waves/lending/failover", Map.of("confirm", "lending")).path("id").asText();
      assertEquals(
          "source-not-fenced", Follow.run(api, refused, line -> {}).value().problem().code());
      journey.work("/waves/lending/failover", Map.of("confirm", "lending", "sourceLost", true));
      assertTrue(allRun(cloud) && allRun(estate), "it is away and runs on");
      Harness.pause(2000);
      gate.open();
      journey.work("/waves/lending/reconcile", Map.of("keep", "mill-street", "confirm", "lending"));
      assertTrue(allRun(estate) && !anyRuns(cloud));
      for (String machine : MACHINES) {
        assertEquals(0, estate.writeFailures(machine));
      }
      journey.awaitPoint(Instant.now());
      JsonNode result = journey.work("/waves/lending/cutover", CUTOVER).path("result");
      assertFalse(anyRuns(estate));
      List<BlockDigest> keys = cloud.digestKeys();
      for (String machine : MACHINES) {
        List<String> disks = estate.disks(machine);
        for (int i = 0; i < disks.size(); i++) {
          String told = result.path("digests").path(machine + " disk " + i).asText();
          String disk = disks.get(i);
          boolean same = false;
          for (BlockDigest key : keys) {
            same |= estate.digest(disk, key).equals(told);
          }
          assertTrue(same, machine + " disk " + i + " is not what was kept");
        }
      }
    }
  }
}
