package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.standins.guest.Ring.Entry;
import com.fasterxml.jackson.databind.JsonNode;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/**
 * The machine room is lost with the service that stood in it, its home and its database. A new
 * service, which knows the surviving site only, takes the wave over and starts its newest point.
 */
class AdoptTest {

  @Test
  void theNewestPointIsStartedWhenSourceServiceAndDatabaseAreLost() throws Exception {
    try (Harness harness = Harness.create().all()) {
      Journey journey = new Journey(harness.api(), line -> {});
      journey.prepare(harness, 5, 600);
      journey.work("load");
      journey.await("two points", w -> points(harness) > 1);
      String disk = harness.estate().disks("lending-db").get(0);
      List<Entry> before = harness.estate().ring(disk);
      harness.kill("estate");
      harness.loseService();

      harness.database().service();
      ApiClient api = harness.api();
      Journey back = new Journey(api, line -> {});
      back.addSite("saltmarsh", harness.saltmarsh());
      back.scan("saltmarsh");
      JsonNode found = api.get("/sites/saltmarsh/adoption").path("waves").path(0);
      assertEquals("lending", found.path("wave").asText());
      assertEquals("mill-street", found.path("from").asText());
      assertFalse(found.path("runsHere").asBoolean());
      Map<String, Object> ask =
          Map.of("confirm", "saltmarsh", "serviceGone", true, "removeMachines", false);
      JsonNode adopted = api.post("/sites/saltmarsh/adoption", ask).path("waves").path(0);
      assertTrue(adopted.path("adopted").asBoolean(), adopted.toString());
      assertEquals("paused", back.wave().path("state").asText());
      assertEquals(
          found.path("newest").asInt(),
          api.get("/waves/lending/points").path(0).path("number").asInt());

      // It is held as it is through a kill, and started.
      harness.kill("service");
      harness.service();
      ApiClient again = harness.api();
      Journey last = new Journey(again, line -> {});
      JsonNode started =
          last.work("/waves/lending/failover", Map.of("confirm", "lending", "sourceLost", true))
              .path("result");
      assertEquals(found.path("newest").asInt(), started.path("point").asInt());
      assertTrue(harness.saltmarsh().runs("lending-db"));
      assertTrue(harness.saltmarsh().runs("lending-app"));
      List<Entry> ring = harness.saltmarsh().ring(harness.saltmarsh().disks("lending-db").get(0));
      assertEquals(0, Rings.missing(ring));
      assertTrue(
          ring.stream().anyMatch(e -> before.stream().anyMatch(b -> b.equals(e))),
          "what it runs on was written at the source");

      // The machine room is back: its token is asked for, and then its machines are fenced.
      harness.estate("estate");
      assertEquals("finding", again.post("/sites/mill-street/check", null).path("status").asText());
      again.post(
          "/credentials",
          Map.of(
              "name",
              "mill-street",
              "type",
              "token",
              "account",
              "",
              "secret",
              harness.estate().token(),
              "destinations",
              List.of("127.0.0.1")));
      again.put("/sites/mill-street/credentials", Map.of("credentials", List.of("mill-street")));
      assertEquals("ready", last.check("mill-street").path("status").asText());
      last.work("/waves/lending/reconcile", Map.of());
      assertTrue(harness.estate().machine("lending-db").path("fenced").asBoolean());
      last.work("/waves/lending/reconcile", Map.of("keep", "saltmarsh", "confirm", "lending"));
      last.await("a point of the way back", w -> w.path("state").asText().equals("landed"));
      last.confirmed("failback");
      assertTrue(harness.estate().runs("lending-db"));
      assertFalse(harness.saltmarsh().runs("lending-db"));
    }
  }

  private static int points(Harness harness) {
    return harness.api().get("/waves/lending/points").size();
  }
}
