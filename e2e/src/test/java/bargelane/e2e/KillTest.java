package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.function.Predicate;
import org.junit.jupiter.api.Test;

/**
 * The service is killed in the middle of everything it does, and started again. The journey ends as
 * if it had not been.
 */
class KillTest {

  private Harness harness;
  private ApiClient api;
  private Journey journey;

  private void killService() throws IOException {
    harness.kill("service");
    harness.service();
  }

  private JsonNode await(String path, Predicate<JsonNode> wanted) throws IOException {
    for (int i = 0; i < 6000; i++) {
      JsonNode now = api.get(path);
      if (wanted.test(now)) {
        return now;
      }
      Harness.pause(50);
    }
    throw new IOException("not reached: " + path + " " + api.get(path));
  }

  /**
   * Starts work, kills the service once a step of it has begun, and follows the work to its end.
   */
  private JsonNode workKilledAt(String verb, Map<String, Object> body, String step)
      throws IOException {
    String run = api.post("/waves/lending/" + verb, body).path("id").asText();
    await(
        "/runs/" + run,
        r -> {
          for (JsonNode s : r.path("steps")) {
            if (s.path("name").asText().equals(step)) {
              return !s.path("state").asText().equals("waiting");
            }
          }
          return false;
        });
    killService();
    JsonNode ended = Follow.run(api, run, line -> {}).json();
    assertEquals(
        "done",
        ended.path("state").asText(),
        verb + " killed at " + step + ": " + ended.path("problem"));
    return ended;
  }

  private JsonNode passThatRuns(String kind) throws IOException {
    return await(
            "/waves/lending/passes",
            p ->
                p.path(0).path("state").asText().equals("leased")
                    && p.path(0).path("kind").asText().equals(kind)
                    && p.path(0).path("done").asLong() > 0)
        .path(0);
  }

  private JsonNode ended(String pass) throws IOException {
    JsonNode all =
        await(
            "/waves/lending/passes",
            p -> {
              for (JsonNode x : p) {
                if (x.path("id").asText().equals(pass)) {
                  return !x.path("endedAt").isNull();
                }
              }
              return false;
            });
    for (JsonNode x : all) {
      if (x.path("id").asText().equals(pass)) {
        return x;
      }
    }
    throw new IllegalStateException();
  }

  @Test
  void everyStepIsIdempotentWhateverInstantTheServiceIsKilledAt() throws IOException {
    try (Harness started = Harness.create().all()) {
      harness = started;
      api = harness.api();
      journey = new Journey(api, line -> {});
      journey.prepare(harness, 5, 60);
      Platform estate = harness.estate();
      Platform cloud = harness.saltmarsh();

      // A full pass.
      estate.faults(-1, -1, 40, -1, "");
      String load = api.post("/waves/lending/load", null).path("id").asText();
      JsonNode full = passThatRuns("full");
      killService();
      assertEquals("done", Follow.run(api, load, line -> {}).value().state());
      JsonNode resumed = ended(full.path("id").asText());
      assertEquals("complete", resumed.path("state").asText());
      assertTrue(
          resumed.path("sent").asLong() < resumed.path("total").asLong(),
          "what was shipped and verified before the kill is not sent again");

      // A delta.
      estate.faults(-1, -1, 900, -1, "");
      String delta = passThatRuns("delta").path("id").asText();
      killService();
      assertEquals("complete", ended(delta).path("state").asText());

      // A compare, after the estate was killed too and its tracking is gone.
      estate.noFaults();
      harness.kill("estate");
      harness.estate("estate");
      estate = harness.estate();
      estate.faults(-1, -1, 30, -1, "");
      String compare = passThatRuns("compare").path("id").asText();
      killService();
      JsonNode compared = ended(compare);
      assertEquals("complete", compared.path("state").asText());
      assertTrue(
          compared.path("sent").asLong() < 16 << 20,
          "a compare sends what differs, not the disk: " + compared);
      estate.noFaults();

      // A test, a cutover, a failback, each at a different step.
      journey.awaitPoint(Instant.now());
      workKilledAt("test", Map.of(), "start-1");
      workKilledAt("cutover", Map.of("confirm", "lending"), "define");
      journey.awaitPoint(Instant.now());
      JsonNode failback = workKilledAt("failback", Map.of("confirm", "lending"), "last");

      for (String machine : List.of("lending-db", "lending-app")) {
        List<String> disks = cloud.disks(machine);
        for (int i = 0; i < disks.size(); i++) {
          assertEquals(
              cloud.digest(disks.get(i)),
              failback.path("result").path("digests").path(machine + " disk " + i).asText(),
              machine + " disk " + i);
          assertEquals(0, Rings.missing(estate.ring(estate.disks(machine).get(i))));
        }
        assertTrue(estate.runs(machine));
        assertEquals(0, estate.writeFailures(machine));
      }

      // The machine room is lost, and comes back with writes of its own.
      journey.awaitPoint(Instant.now());
      harness.kill("estate");
      workKilledAt("failover", Map.of("confirm", "lending", "sourceLost", true), "define");
      harness.estate("estate");
      estate = harness.estate();
      workKilledAt("reconcile", Map.of(), "survey-back");
      workKilledAt("reconcile", Map.of("keep", "saltmarsh", "confirm", "lending"), "turn");
      JsonNode home = workKilledAt("failback", Map.of("confirm", "lending"), "clone");
      for (String machine : List.of("lending-db", "lending-app")) {
        List<String> disks = cloud.disks(machine);
        for (int i = 0; i < disks.size(); i++) {
          assertEquals(
              cloud.digest(disks.get(i)),
              home.path("result").path("digests").path(machine + " disk " + i).asText(),
              machine + " disk " + i);
        }
        assertEquals(0, estate.writeFailures(machine));
      }
      workKilledAt("undo", Map.of("confirm", "lending"), "take-back");
      assertTrue(cloud.runs("lending-db") && !estate.runs("lending-db"));
      workKilledAt("settle", Map.of("confirm", "lending"), "remove");
      assertEquals(List.of(), estate.ours());
      assertEquals(List.of(), cloud.ours());
    }
  }
}
