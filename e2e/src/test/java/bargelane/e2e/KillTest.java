package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.function.Predicate;
import org.junit.jupiter.api.Test;

/**
 * The service is killed in the middle of each kind of pass and of an undo, and started again: it
 * goes on where it was; its database is, in the middle of a pass and of a cutover. In the middle of
 * every other move it is killed by the tour ({@code TourTest}).
 */
class KillTest {

  private Harness harness;
  private ApiClient api;
  private Journey journey;

  private JsonNode await(String path, Predicate<JsonNode> wanted) throws IOException {
    for (int i = 0; i < 6000; i++) {
      try {
        JsonNode now = api.get(path);
        if (wanted.test(now)) {
          return now;
        }
      } catch (ApiClient.ProblemException e) {
        assertEquals("database-trouble", e.problem().code(), "while the database is away");
      }
      Harness.pause(50);
    }
    throw new IOException("not reached: " + path + " " + api.get(path));
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

  /** Waits until the target has flushed a part of a pass, which is told every two seconds. */
  private void flushed(String pass) throws IOException {
    await(
        "/waves/lending/passes",
        p -> {
          try (Connection db =
                  DriverManager.getConnection(
                      harness.databaseUrl(),
                      "bargelane",
                      Files.readString(harness.home().resolve("database/password")).strip());
              Statement sql = db.createStatement();
              ResultSet told =
                  sql.executeQuery(
                      "select 1 from pass where id = '"
                          + pass
                          + "' and jsonb_path_exists(disks::jsonb, '$[*].progress.watermark ? (@ > 0)')")) {
            return told.next();
          } catch (IOException | SQLException e) {
            throw new IllegalStateException(e);
          }
        });
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
  void passesAndAnUndoGoOnWhereTheServiceWasKilled() throws IOException {
    try (Harness started = Harness.create().all()) {
      harness = started;
      api = harness.api();
      journey = new Journey(api, line -> {});
      journey.prepare(harness, 5, 600);
      Platform estate = harness.estate();
      Platform cloud = harness.saltmarsh();

      // A full pass.
      estate.faults(-1, -1, 120, -1, "");
      String load = api.post("/waves/lending/load", null).path("id").asText();
      JsonNode full = passThatRuns("full");
      flushed(full.path("id").asText());
      Killings.again(harness);
      assertEquals("done", Follow.run(api, load, line -> {}).value().state());
      JsonNode resumed = ended(full.path("id").asText());
      assertEquals("complete", resumed.path("state").asText());
      assertTrue(
          resumed.path("sent").asLong() < resumed.path("total").asLong(),
          "what was shipped and verified before the kill is not sent again");

      // A delta.
      estate.faults(-1, -1, 900, -1, "");
      String delta = passThatRuns("delta").path("id").asText();
      Killings.again(harness);
      assertEquals("complete", ended(delta).path("state").asText());

      // A compare, after the estate was killed too and its tracking is gone.
      estate.noFaults();
      harness.kill("estate");
      harness.estate("estate");
      estate = harness.estate();
      estate.faults(-1, -1, 30, -1, "");
      String compare = passThatRuns("compare").path("id").asText();
      Killings.again(harness);
      JsonNode compared = ended(compare);
      assertEquals("complete", compared.path("state").asText());
      assertTrue(
          compared.path("sent").asLong() < 16 << 20,
          "a compare sends what differs, not the disk: " + compared);
      estate.noFaults();

      // A delta whose database is restarted, and moves there and back in whose last pass it is.
      estate.faults(-1, -1, 900, -1, "");
      String through = passThatRuns("delta").path("id").asText();
      harness.restartDatabase();
      assertEquals("complete", ended(through).path("state").asText());
      estate.noFaults();
      journey.awaitPoint(Instant.now());
      new Journey(api, line -> {}, Killings.ofDatabase(harness, "cutover", "last"))
          .work("/waves/lending/cutover", Map.of("confirm", "lending", "override", "rehearsed"));
      assertTrue(cloud.runs("lending-db") && !estate.runs("lending-db"));
      journey.awaitPoint(Instant.now());
      new Journey(api, line -> {}, Killings.ofDatabase(harness, "failback", "last"))
          .work("/waves/lending/failback", Map.of("confirm", "lending", "override", "rehearsed"));
      assertTrue(estate.runs("lending-db") && !cloud.runs("lending-db"));
      journey.awaitPoint(Instant.now());
      journey.work("/waves/lending/cutover", Map.of("confirm", "lending", "override", "rehearsed"));

      // It is taken back, and the service killed meanwhile.
      Journey undoing = new Journey(api, line -> {}, Killings.in(harness, "undo", "take-back"));
      assertTrue(cloud.runs("lending-db") && !estate.runs("lending-db"));
      undoing.confirmed("undo");
      for (String machine : List.of("lending-db", "lending-app")) {
        assertTrue(estate.runs(machine) && !cloud.runs(machine), "one copy runs");
        assertEquals(0, estate.writeFailures(machine));
        for (String disk : estate.disks(machine)) {
          assertEquals(0, Rings.missing(estate.ring(disk)));
        }
      }
    }
  }
}
