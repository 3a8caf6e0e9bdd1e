package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice;
import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Duration;
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

/**
 * A disk that a storage system carries between the sites: the machine lands with it, and comes back
 * with it, as of when it was stopped.
 */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class CarriedDisksTest {

  private static final String APP = "lending-app";
  private static final MarkedDisks DISKS = new MarkedDisks(APP, "lending-db");
  private static final String DISK = "app-data";
  private static final String MIRROR = "app-mirror";

  private static Harness harness;
  private static ApiClient api;
  private static Journey journey;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().all();
    connect();
    DISKS.attach(harness.estate(), DISK, "shelf-b", 1);
    DISKS.attach(harness.estate(), "app-last", "shelf-b", 2);
    journey.prepare(harness, 5, 60);
  }

  private static void connect() {
    api = harness.api();
    journey = new Journey(api, line -> {});
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  /** What a storage system does: it copies a volume, and says as of when. */
  private static void carry(Platform from, String volume, Platform to, String mirror)
      throws IOException {
    Instant asOf = Instant.now();
    try (BlockDevice source = from.open(volume, false);
        BlockDevice target = to.open(mirror, true)) {
      MarkedDisks.copy(source, target);
      target.flush();
    }
    from.closeLook(volume);
    to.closeLook(mirror);
    tell(to, mirror, asOf);
  }

  private static void tell(Platform at, String volume, Instant asOf) throws IOException {
    at.call(
        "PUT",
        "/v1/volumes/" + volume + "/carried",
        Map.of("asOf", asOf == null ? "" : asOf.toString()));
  }

  /** The storage system is told to stop, as in a disaster, and leaves the volume as it is. */
  private static void end(Platform at, String volume, Instant asOf) throws IOException {
    at.call(
        "PUT",
        "/v1/volumes/" + volume + "/carried",
        Map.of("asOf", asOf.toString(), "ended", true));
  }

  /** Codes of all that the wave's page tells of the machine. */
  private static List<String> codes() {
    List<String> codes = new ArrayList<>();
    for (JsonNode finding : journey.wave().path("machines").findParents("code")) {
      String code = finding.path("code").asText();
      if (finding.has("remedy") && (code.startsWith("carried") || code.equals("disk-carried"))) {
        codes.add(code);
      }
    }
    return codes.stream().distinct().sorted().toList();
  }

  private static List<String> seen() {
    journey.scan("saltmarsh");
    return codes();
  }

  /** Whose the machines are at the target. */
  private static void belongs(String setting, String value) {
    decide(Map.of("scope", "lane", "of", "", "setting", setting, "value", value));
  }

  private static void decide(Map<String, Object> rule) {
    api.put("/lanes/mill-to-marsh/rules", Map.of("changes", List.of(rule)));
  }

  /** Waits until a run tells what it waits for, and gives that. */
  private static String waiting(String run) throws IOException {
    long until = System.nanoTime() + Duration.ofMinutes(3).toNanos();
    while (System.nanoTime() < until) {
      for (JsonNode step : api.get("/runs/" + run).path("steps")) {
        if (step.path("name").asText().equals("arrived")
            && step.path("detail").asText().contains("has to carry it up to")) {
          return step.path("detail").asText();
        }
      }
      Harness.pause(100);
    }
    throw new IOException("it does not wait: " + api.get("/runs/" + run));
  }

  private static String begin(String verb) {
    return api.post("/waves/lending/" + verb, Map.of("confirm", "lending")).path("id").asText();
  }

  private static void done(String run) {
    JsonNode ended = Follow.run(api, run, line -> {}).json();
    assertEquals("done", ended.path("state").asText(), ended.toString());
  }

  private static String refused(String verb, Map<String, Object> body) {
    return journey.follow("/waves/lending/" + verb, body).path("problem").path("code").asText();
  }

  @Test
  @Order(1)
  void whatIsInItsWayIsToldUntilItIsRight() throws IOException {
    decide(
        Map.of(
            "scope",
            "disk",
            "of",
            APP,
            "part",
            1,
            "setting",
            "copy",
            "value",
            "carried:" + MIRROR));
    assertEquals(List.of("carried-missing"), seen());
    Platform cloud = harness.saltmarsh();
    long bytes;
    try (BlockDevice disk = harness.estate().open(DISK, false)) {
      bytes = disk.size();
    }
    harness.estate().closeLook(DISK);
    cloud.call(
        "POST", "/v1/volumes", Map.of("name", MIRROR, "sizeBytes", bytes, "storageClass", "mud"));
    assertEquals(List.of("carried-missing"), seen(), "nothing carries to it");
    tell(cloud, MIRROR, null);
    assertEquals(List.of("carried-unfit"), seen());
    tell(cloud, MIRROR, Instant.now().minusSeconds(3 * 3600));
    assertEquals(List.of("carried-behind", "disk-carried"), seen());
    journey.work("load");
    assertEquals(
        2,
        harness.saltmarsh().ours().stream()
            .filter(o -> o.matches(".*-" + APP + "-d[0-9]+"))
            .count());
    assertEquals(List.of("carried-behind", "disk-carried"), codes(), "also once it is loaded");
    assertEquals("carried-behind", refused("test", Map.of()));
    carry(harness.estate(), DISK, cloud, MIRROR);
    assertEquals(List.of("disk-carried"), seen());
  }

  @Test
  @Order(2)
  void aTestHasACloneOfIt() throws IOException {
    Instant asOf = Instant.now();
    end(harness.saltmarsh(), MIRROR, asOf);
    String run = api.post("/waves/lending/test", Map.of("hold", true)).path("id").asText();
    journey.begun(run, "hold");
    String test =
        harness
            .saltmarsh()
            .call("GET", "/v1/inventory", null)
            .path("machines")
            .findValuesAsText("name")
            .stream()
            .filter(n -> n.startsWith(APP))
            .findFirst()
            .orElseThrow();
    List<String> disks = harness.saltmarsh().disks(test);
    assertEquals(3, disks.size());
    assertTrue(disks.get(1).endsWith("-c1"), disks.toString());
    assertArrayEquals(
        MarkedDisks.mark(DISK), MarkedDisks.markOf(harness.saltmarsh(), disks.get(1)));
    api.post("/runs/" + run + "/finish", null);
    done(run);
    assertFalse(
        harness.saltmarsh().ours().stream()
            .anyMatch(o -> o.contains("carried") || o.contains("-c1")),
        String.valueOf(harness.saltmarsh().ours()));
    assertEquals("carried-unfit", refused("cutover", Map.of("confirm", "lending")));
    tell(harness.saltmarsh(), MIRROR, asOf);
  }

  @Test
  @Order(3)
  void aCutoverWaitsForWhatWasWrittenLast() throws IOException {
    belongs("project", "county/libraries/lending");
    belongs("identity", "reader");
    belongs("labels", "owner=library; app=loans");
    done(api.post("/waves/lending/test", null).path("id").asText());
    String run = begin("cutover");
    waiting(run);
    assertFalse(harness.estate().runs(APP), "it is off, and nobody runs it");
    harness.kill("service");
    harness.service();
    connect();
    waiting(run);
    assertEquals(List.of(), machines(harness.saltmarsh()));
    Harness.pause(2_100);
    carry(harness.estate(), DISK, harness.saltmarsh(), MIRROR);
    done(run);
    List<String> disks = harness.saltmarsh().disks(APP);
    assertEquals(3, disks.size());
    assertEquals(MIRROR, disks.get(1));
    assertArrayEquals(
        MarkedDisks.mark("app-last"), MarkedDisks.markOf(harness.saltmarsh(), disks.get(2)));
    assertTrue(harness.saltmarsh().runs(APP));
    JsonNode landed = harness.saltmarsh().machine(APP);
    assertEquals("county/libraries/lending", landed.path("project").asText());
    assertEquals("reader", landed.path("identity").asText());
    assertEquals(
        "library loans",
        landed.at("/labels/owner").asText() + " " + landed.at("/labels/app").asText());
    journey.awaitPoint(Instant.now());
    assertEquals(List.of(), codes(), "it is a disk like others where the machine runs");
  }

  private static List<String> machines(Platform at) throws IOException {
    return at.call("GET", "/v1/inventory", null).path("machines").findValuesAsText("name").stream()
        .filter(n -> n.startsWith("lending"))
        .toList();
  }

  @Test
  @Order(4)
  void itIsNotUndoneOntoDisksOfTwoInstants() throws IOException {
    Platform estate = harness.estate();
    assertEquals("carried-missing", refused("failback", Map.of("confirm", "lending")));
    end(estate, DISK, Instant.now());
    assertEquals(
        "carried-unfit",
        refused("failback", Map.of("confirm", "lending")),
        "the storage system has stopped, and never fills it with what is written last");
    tell(estate, DISK, Instant.now());
    assertEquals("carried-since", refused("undo", Map.of("confirm", "lending")));
    assertTrue(harness.saltmarsh().runs(APP), "it was not stopped");
  }

  @Test
  @Order(5)
  void itComesBackWithWhatIsCarriedBack() throws IOException {
    String run = begin("failback");
    waiting(run);
    Harness.pause(2_100);
    carry(harness.saltmarsh(), MIRROR, harness.estate(), DISK);
    done(run);
    List<String> disks = harness.estate().disks(APP);
    assertEquals(3, disks.size());
    assertEquals(DISK, disks.get(1));
    assertArrayEquals(
        MarkedDisks.mark("app-last"), MarkedDisks.markOf(harness.estate(), disks.get(2)));
    assertTrue(harness.estate().runs(APP));
    assertEquals(List.of("carried-missing"), seen(), "nothing carries to it any more");
    carry(harness.estate(), DISK, harness.saltmarsh(), MIRROR);
    assertEquals(List.of("disk-carried"), seen(), "the machine there still has it, and may");
  }
}
