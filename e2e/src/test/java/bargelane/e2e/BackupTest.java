package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Problem;
import bargelane.client.ApiClient;
import bargelane.service.backup.Backups;
import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.stream.StreamSupport;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * A backup of a service that works; then its database and its home are lost, and it is brought back
 * from that backup to a world that has gone on.
 */
class BackupTest {

  private static final Optional<char[]> PASSPHRASE =
      Optional.of("a passphrase of these".toCharArray());

  @TempDir Path dir;

  private static Problem refused(Runnable call) {
    return assertThrows(ApiClient.ProblemException.class, call::run).problem();
  }

  private static List<String> leftovers(ApiClient api) {
    return StreamSupport.stream(api.get("/sites/saltmarsh/leftovers").spliterator(), false)
        .map(l -> l.path("name").asText())
        .toList();
  }

  @Test
  void whatIsRestoredFindsItsPointsAndTouchesNothingThatHasMovedSince() throws Exception {
    try (Harness harness = Harness.light().all()) {
      Journey journey = new Journey(harness.api(), line -> {});
      journey.prepare(harness, 5, 600);
      journey.work("load");
      String installed = harness.fingerprint();
      Path file = dir.resolve("monday.zip");
      Backups.Told made = underLoad(harness, file);
      assertEquals(made, Backups.verify(file, PASSPHRASE));

      // What the backup knows nothing of: a point more.
      String known = newest(harness.api());
      journey.await("a point after the backup", w -> !newest(harness.api()).equals(known));
      long told = newestEvent(harness.api());
      harness.loseService();
      harness.restore(file, PASSPHRASE);
      harness.service();
      assertTrue(
          newestEvent(harness.api()) > told, "whoever has read events up to there misses none");
      assertEquals(installed, harness.fingerprint(), "clients know it by the same certificate");
      ApiClient api = harness.api();
      Journey back = new Journey(api, line -> {});
      assertEquals("paused", back.wave().path("state").asText());
      for (String verb : List.of("test", "passes", "scrub", "pause")) {
        Problem p = refused(() -> api.post("/waves/lending/" + verb, Map.of()));
        assertEquals("not-checked", p.code(), verb);
      }
      assertTrue(
          leftovers(api).stream().anyMatch(n -> n.endsWith("-point")),
          "a point that is not recorded is listed and kept");

      assertTrue(
          api.get("/overview").path("needs").toString().contains("seen where its machines run"));
      String restored = newest(api);
      api.post("/waves/lending/resume", Map.of());
      back.await("a point after the restore", w -> !newest(api).equals(restored));
      back.work(
          "/waves/lending/cutover",
          Map.of("confirm", "lending", "override", "it is tested elsewhere"));
      assertTrue(harness.saltmarsh().runs("lending-db"));
      harness.loseService();
      harness.restore(file, PASSPHRASE);
      harness.service();
      ApiClient again = harness.api();
      Problem moved = refused(() -> again.post("/waves/lending/resume", Map.of()));
      assertEquals("moved-since", moved.code(), moved.detail());
      assertTrue(moved.detail().contains("runs at saltmarsh"), moved.detail());
      assertEquals(
          "not-checked", refused(() -> again.post("/waves/lending/test", Map.of())).code());
      assertTrue(harness.saltmarsh().runs("lending-db"), "what runs is left alone");
      assertFalse(harness.estate().runs("lending-db"));
    }
  }

  /** The number of the newest event. */
  private static long newestEvent(ApiClient api) {
    long newest = 0;
    for (JsonNode some = api.get("/events?size=1000"); !some.isEmpty(); ) {
      newest = some.path(some.size() - 1).path("id").asLong();
      some = api.get("/events?size=1000&after=" + newest);
    }
    return newest;
  }

  /** The name of the newest point that is recorded. */
  private static String newest(ApiClient api) {
    return api.get("/waves/lending/points").path(0).path("id").asText();
  }

  /** Passes run meanwhile, and somebody writes as fast as it goes. */
  private static Backups.Told underLoad(Harness harness, Path file) throws Exception {
    AtomicBoolean over = new AtomicBoolean();
    CompletableFuture<Integer> writer =
        CompletableFuture.supplyAsync(
            () -> {
              ApiClient api = harness.api();
              int written = 0;
              while (!over.get()) {
                api.post(
                    "/label-rules",
                    Map.of("filter", "name = lending-app", "name", "turn", "value", "" + written));
                written++;
              }
              return written;
            });
    try {
      return harness.backups().create(file, PASSPHRASE, "test");
    } finally {
      over.set(true);
      assertTrue(writer.get() > 0);
    }
  }
}
