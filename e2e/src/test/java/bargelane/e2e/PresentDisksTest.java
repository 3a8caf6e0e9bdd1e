package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;

/** A machine that gets disks after its wave was planned lands with all of them, or not at all. */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class PresentDisksTest {

  private static final String APP = "lending-app";
  private static final MarkedDisks DISKS = new MarkedDisks(APP, "lending-db");

  private static Harness harness;
  private static ApiClient api;
  private static Journey journey;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().all();
    api = harness.api();
    journey = new Journey(api, line -> {});
    journey.prepare(harness, 5, 60);
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  private static boolean copied(int disk) {
    return harness.saltmarsh().ours().stream().anyMatch(o -> o.endsWith("-" + APP + "-d" + disk));
  }

  private static boolean told(String text) {
    for (JsonNode e : api.get("/events?size=1000")) {
      if (e.path("text").asText().contains(text)) {
        return true;
      }
    }
    return false;
  }

  private static JsonNode finding(JsonNode wave) {
    for (JsonNode m : wave.path("machines")) {
      for (JsonNode g : m.path("gates")) {
        for (JsonNode f : g.path("shutBy")) {
          if (f.path("code").asText().startsWith("disk-")) {
            return f;
          }
        }
      }
    }
    return ApiClient.JSON.missingNode();
  }

  @Test
  @Order(1)
  void aDiskThatCameBetweenPlanAndLoadIsLoaded() throws IOException {
    DISKS.attach(harness.estate(), "app-early", "shelf-a", 1);
    DISKS.attach(harness.estate(), "app-scratch", "shelf-a", 1);
    JsonNode refused = journey.follow("/waves/lending/load", Map.of());
    assertEquals("disks-changed", refused.path("problem").path("code").asText());
    journey.scan("mill-street");
    decide(copy(1, "off"));
    journey.work("load");
    assertTrue(copied(1) && !copied(2), String.valueOf(harness.saltmarsh().ours()));
  }

  @Test
  @Order(2)
  void aDiskThatComesWhileTheWaveIsReplicatedIsTakenInByTheNextPass() throws IOException {
    DISKS.attach(harness.estate(), "app-late", "shelf-b", 1);
    // A pass that has looked at the machine already goes on with the disks that it had.
    journey.await("the disk", w -> told(APP + " has a new disk app-late ("));
    journey.awaitPoint(Instant.now());
    assertTrue(copied(2), String.valueOf(harness.saltmarsh().ours()));
    JsonNode wave = journey.wave();
    assertTrue(finding(wave).isMissingNode(), wave.toString());
    assertTrue(Journey.open(wave, "laden"));
    // The platform tells the disks in another order from now on.
    journey.scan("mill-street");
    journey.awaitPoint(Instant.now());
    assertFalse(copied(3), "what is left out stays so, whatever its place");
  }

  private static void decide(Map<String, Object> rule) {
    api.put("/lanes/mill-to-marsh/rules", Map.of("changes", List.of(rule)));
  }

  private static Map<String, Object> copy(int disk, String value) {
    return Map.of("scope", "disk", "of", APP, "part", disk, "setting", "copy", "value", value);
  }

  private static Map<String, Object> join(String to) {
    return Map.of("scope", "storage", "of", "shelf-b", "setting", "class", "value", to);
  }

  @Test
  @Order(3)
  void aDiskWithoutAPlaceIsToldAndKeepsTheMachineWhereItIs() throws IOException {
    // The disks that are known have a class of their own, the new one has its storage's.
    List<Map<String, Object>> rules = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      rules.add(Map.of("scope", "disk", "of", APP, "part", i, "setting", "class", "value", "mud"));
    }
    rules.add(join(""));
    api.put("/lanes/mill-to-marsh/rules", Map.of("changes", rules));
    journey.work("test");
    DISKS.attach(harness.estate(), "app-homeless", "shelf-b", 3);
    JsonNode wave = journey.await("a finding", w -> !finding(w).isMissingNode());
    assertTrue(
        finding(wave).path("cause").asText().contains("joined to no class"), wave.toString());
    assertFalse(Journey.open(wave, "laden"));
    assertTrue(told("lending-app at mill-street: disk app-homeless is not copied: its storage"));
    String refused =
        assertThrows(ApiClient.ProblemException.class, () -> journey.confirmed("cutover"))
            .problem()
            .detail();
    assertTrue(refused.contains("laden") && refused.contains("joined to no class"), refused);
    journey.awaitPoint(Instant.now());
    assertFalse(finding(journey.wave()).isMissingNode(), "its other disks are copied on");
    journey.scan("mill-street");
    api.put(
        "/lanes/mill-to-marsh/rules",
        Map.of(
            "changes",
            List.of(
                Map.of(
                    "scope", "disk", "of", APP, "part", 3, "setting", "class", "value", "mud"))));
    journey.await("the disk is taken in", w -> finding(w).isMissingNode());
    journey.awaitPoint(Instant.now());
    assertTrue(told(APP + " has a new disk app-homeless"));
  }

  @Test
  @Order(4)
  void theMachineLandsWithAllOfThem() throws IOException {
    List<String> before = harness.estate().disks(APP);
    List<String> without = new ArrayList<>(before);
    without.remove("app-early");
    DISKS.give(harness.estate(), without);
    journey.scan("mill-street");
    JsonNode wave = journey.await("a finding", w -> !finding(w).isMissingNode());
    assertEquals("disk-detached", finding(wave).path("code").asText());
    DISKS.give(harness.estate(), before);
    journey.scan("mill-street");
    journey.await("it is attached again", w -> finding(w).isMissingNode());
    journey.work("test");
    journey.confirmed("cutover");
    List<String> after = harness.saltmarsh().disks(APP);
    assertEquals(before.size() - 1, after.size());
    for (int i = 1; i < after.size(); i++) {
      String late = List.of("app-early", "app-late", "app-homeless").get(i - 1);
      assertArrayEquals(
          MarkedDisks.mark(late), MarkedDisks.markOf(harness.saltmarsh(), after.get(i)), late);
    }
    assertTrue(harness.saltmarsh().runs(APP));
  }

  @Test
  @Order(5)
  void whatIsAttachedAtTheTargetIsNotLeftThereUnsaid() throws IOException {
    List<String> landed = harness.saltmarsh().disks(APP);
    DISKS.attach(harness.saltmarsh(), "app-there", "mud", 1);
    JsonNode wave = journey.await("a finding", w -> !finding(w).isMissingNode());
    assertTrue(finding(wave).path("cause").asText().contains("app-there"), wave.toString());
    JsonNode refused = journey.follow("/waves/lending/failback", Map.of("confirm", "lending"));
    assertEquals("disk-not-copied", refused.path("problem").path("code").asText());
    assertTrue(harness.saltmarsh().runs(APP), "it was not stopped");
    DISKS.give(harness.saltmarsh(), landed);
    journey.await("it is gone", w -> finding(w).isMissingNode());
    journey.confirmed("failback");
    List<String> back = harness.estate().disks(APP);
    List<String> order = List.of("app-late", "app-scratch", "app-homeless", "app-early");
    assertEquals(order.size() + 1, back.size());
    for (int i = 0; i < order.size(); i++) {
      assertArrayEquals(
          MarkedDisks.mark(order.get(i)), MarkedDisks.markOf(harness.estate(), back.get(i + 1)));
    }
    assertEquals("app-scratch", back.get(2));
    assertTrue(harness.estate().runs(APP));
  }

  @Test
  @Order(6)
  void aDiskThatIsYoungerThanThePointThatLandedStaysOnItsMachine() throws IOException {
    JsonNode older = journey.awaitPoint(Instant.now()).path("points").path(0);
    List<String> before = harness.estate().disks(APP);
    DISKS.attach(harness.estate(), "app-young", "shelf-a", before.size());
    journey.await("the disk", w -> told(APP + " has a new disk app-young ("));
    journey.awaitPoint(Instant.now());
    journey.scan("mill-street");
    decide(copy(before.size(), "off"));
    journey.work(
        "/waves/lending/failover",
        Map.of("confirm", "lending", "point", older.path("number").asText()));
    assertEquals(before.size() - 1, harness.saltmarsh().disks(APP).size());
    journey.work("/waves/lending/reconcile", Map.of("keep", "saltmarsh", "confirm", "lending"));
    journey.awaitPoint(Instant.now());
    journey.confirmed("failback");
    List<String> back = harness.estate().disks(APP);
    assertEquals(before.size() + 1, back.size());
    assertArrayEquals(
        MarkedDisks.mark("app-young"),
        MarkedDisks.markOf(harness.estate(), back.get(before.size())));
    // It is left out from here on. Copies have no gap where it was.
    journey.await("it is left out", w -> told(APP + " has disk app-young ("));
    DISKS.attach(harness.estate(), "app-youngest", "shelf-a", back.size());
    journey.await("the disk", w -> told(APP + " has a new disk app-youngest ("));
    journey.awaitPoint(Instant.now());
    assertTrue(copied(before.size() - 1) && !copied(before.size()));
    journey.work("test");
  }

  @Test
  @Order(7)
  void aDiskThatWasLeftOutIsTakenInWhenTheLaneSaysSo() throws IOException {
    journey.scan("mill-street");
    decide(copy(harness.estate().disks(APP).indexOf("app-scratch"), "on"));
    journey.await("the disk", w -> told(APP + " has a disk that was left out, app-scratch ("));
    journey.awaitPoint(Instant.now());
    journey.work("test");
    journey.confirmed("cutover");
    List<String> after = harness.saltmarsh().disks(APP);
    List<String> order =
        List.of("app-early", "app-late", "app-homeless", "app-youngest", "app-scratch");
    assertEquals(order.size() + 1, after.size());
    for (int i = 0; i < order.size(); i++) {
      assertArrayEquals(
          MarkedDisks.mark(order.get(i)),
          MarkedDisks.markOf(harness.saltmarsh(), after.get(i + 1)),
          order.get(i));
    }
  }
}
