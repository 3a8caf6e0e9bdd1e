package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Problem;
import bargelane.blocks.BlockDevice;
import bargelane.client.ApiClient;
import bargelane.client.Follow;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;

/**
 * What goes wrong is told as a problem with its cause and a remedy, loses nothing, and never fails
 * production's writes.
 */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class FaultsTest {

  private static Harness harness;
  private static ApiClient api;
  private static Journey journey;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.create().all();
    api = harness.api();
    journey = new Journey(api, line -> {});
    journey.prepare(harness, 5, 60);
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  private static HttpResponse<String> raw(
      String method, String path, String body, String... headers) throws Exception {
    HttpRequest.Builder r =
        HttpRequest.newBuilder(URI.create(harness.serviceAddress() + path))
            .method(method, HttpRequest.BodyPublishers.ofString(body));
    if (!body.isEmpty()) {
      r.header("Content-Type", "application/json");
    }
    for (int i = 0; i < headers.length; i += 2) {
      r.header(headers[i], headers[i + 1]);
    }
    return HttpClient.newBuilder()
        .sslContext(harness.trust().context())
        .build()
        .send(r.build(), HttpResponse.BodyHandlers.ofString());
  }

  private static Problem problem(Runnable call) {
    Problem p = assertThrows(ApiClient.ProblemException.class, call::run).problem();
    assertFalse(p.detail().isBlank());
    assertFalse(p.remedy().none());
    return p;
  }

  private static long lost() throws IOException {
    return harness.estate().writeFailures("lending-db")
        + harness.estate().writeFailures("lending-app");
  }

  @Test
  @Order(1)
  void nothingButSignInHealthAndTheConsoleIsOpen() throws Exception {
    assertEquals(200, raw("GET", "/api/v1/health", "").statusCode());
    assertEquals(200, raw("GET", "/", "").statusCode());
    JsonNode document = api.get("/openapi.json");
    int checked = 0;
    for (var paths = document.path("paths").fields(); paths.hasNext(); ) {
      var path = paths.next();
      for (var methods = path.getValue().fields(); methods.hasNext(); ) {
        String method = methods.next().getKey().toUpperCase(java.util.Locale.ROOT);
        if (!path.getKey().matches("/api/v1/(health|live|sign-in(/begin|/return)?)")) {
          HttpResponse<String> r = raw(method, path.getKey().replaceAll("\\{\\w+}", "x"), "");
          assertEquals(401, r.statusCode(), method + " " + path.getKey());
          assertEquals(
              "application/problem+json",
              r.headers().firstValue("Content-Type").orElse("").replaceAll(";.*", ""));
          checked++;
        }
      }
    }
    assertTrue(checked > 40);
    assertEquals(401, raw("GET", "/metrics", "").statusCode());
    assertEquals(401, raw("GET", "/api/v1/openapi.json", "").statusCode());
    assertEquals(401, raw("GET", "/api/v1/events/stream", "").statusCode());
  }

  @Test
  @Order(2)
  void aConsoleWriteWithoutItsCsrfValueIsRefused() throws Exception {
    HttpResponse<String> in =
        raw(
            "POST",
            "/api/v1/sign-in",
            "{\"account\":\"engineer\",\"password\":\"" + harness.signInPassword() + "\"}");
    assertEquals(200, in.statusCode());
    String cookie = in.headers().firstValue("Set-Cookie").orElseThrow();
    assertTrue(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"));
    String session = cookie.substring(0, cookie.indexOf(';'));
    assertEquals(403, raw("POST", "/api/v1/sign-out", "", "Cookie", session).statusCode());
    assertEquals(200, raw("GET", "/api/v1/me", "", "Cookie", session).statusCode());
    assertEquals(
        401,
        raw("POST", "/api/v1/sign-in", "{\"account\":\"engineer\",\"password\":\"wrong\"}")
            .statusCode());
  }

  @Test
  @Order(3)
  void nonsenseIsAnsweredWithWhatIsWrong() throws Exception {
    String[] token = {"Authorization", "Bearer " + harness.token()};
    HttpResponse<String> r =
        raw("POST", "/api/v1/waves", "{\"name\": \"x\", \"machines\": [", token);
    assertEquals(400, r.statusCode());
    assertTrue(r.body().contains("json-malformed") && r.body().contains("line 1"));
    assertTrue(raw("POST", "/api/v1/waves", "{\"nmae\": \"x\"}", token).body().contains("nmae"));
    assertEquals(400, raw("POST", "/api/v1/sites", "null", token).statusCode());
    assertEquals(400, raw("POST", "/api/v1/sites", "[[[[", token).statusCode());
    assertEquals(
        400,
        raw(
                "PUT",
                "/api/v1/lanes/mill-to-marsh",
                "{}",
                "Authorization",
                "Bearer " + harness.token(),
                "If-Match",
                "soon")
            .statusCode());
    assertEquals(422, raw("GET", "/api/v1/machines?sort=colour", "", token).statusCode());
    assertEquals(404, raw("GET", "/api/v1/nothing", "", token).statusCode());
    assertEquals("machine-unknown", problem(() -> api.get("/machines/no-such-machine")).code());
    assertEquals("wave-unknown", problem(() -> api.post("/waves/none/load", null)).code());
    assertEquals("site-unknown", problem(() -> api.post("/sites/none/scan", null)).code());
    assertEquals(
        "name-malformed",
        problem(
                () ->
                    api.post(
                        "/sites",
                        Map.of("name", "Ü b", "address", "http://127.0.0.1:1", "token", "t")))
            .code());
    assertEquals(
        "site-malformed",
        problem(() -> api.post("/sites", Map.of("name", "x", "address", "ftp://x", "token", "t")))
            .code());
    assertEquals(
        "timetable-impossible",
        problem(
                () ->
                    api.post(
                        "/timetables",
                        Map.of("name", "x", "everySeconds", 1, "rpoSeconds", 60, "keepPoints", 6)))
            .code());
    assertEquals(
        "machine-in-wave",
        problem(
                () ->
                    api.post(
                        "/waves",
                        Map.of(
                            "name",
                            "again",
                            "lane",
                            "mill-to-marsh",
                            "timetable",
                            "brisk",
                            "machines",
                            List.of(Map.of("machine", "lending-db", "rank", 1)))))
            .code());
    assertEquals(
        "not-loaded",
        problem(() -> api.post("/waves/lending/cutover", Map.of("confirm", "lending"))).code());
  }

  @Test
  @Order(4)
  void anEditOfSomethingThatChangedMeanwhileIsRefused() {
    JsonNode lane = api.get("/lanes/mill-to-marsh");
    String read = "\"" + lane.path("revision").asLong() + "\"";
    api.put("/lanes/mill-to-marsh", Map.of("zone", "tide-2"), read);
    assertEquals(
        "changed-meanwhile",
        problem(() -> api.put("/lanes/mill-to-marsh", Map.of("zone", "tide-1"), read)).code());
    api.put("/lanes/mill-to-marsh", Map.of("zone", "tide-1"));
  }

  @Test
  @Order(5)
  void aRepeatedRequestWithTheSameKeyHappensOnce() throws Exception {
    String[] headers = {"Authorization", "Bearer " + harness.token(), "Idempotency-Key", "key-1"};
    String body = "{\"name\":\"twice\",\"everySeconds\":30,\"rpoSeconds\":60,\"keepPoints\":2}";
    HttpResponse<String> first = raw("POST", "/api/v1/timetables", body, headers);
    HttpResponse<String> second = raw("POST", "/api/v1/timetables", body, headers);
    assertEquals(201, first.statusCode());
    assertEquals(first.body(), second.body());
    assertEquals(422, raw("POST", "/api/v1/lanes", "{}", headers).statusCode());
  }

  @Test
  @Order(6)
  void aSubnetWithoutFreeAddressesShutsTheGateMapped() {
    api.put(
        "/lanes/mill-to-marsh",
        Map.of("networks", Map.of("net-data", "sub-narrow", "net-staff", "sub-narrow")));
    JsonNode wave = journey.wave();
    assertFalse(Journey.open(wave, "mapped"));
    assertTrue(wave.toString().contains("subnet-full"));
    api.put(
        "/lanes/mill-to-marsh",
        Map.of("networks", Map.of("net-data", "sub-data", "net-staff", "sub-staff")));
    assertTrue(Journey.open(journey.wave(), "mapped"));
  }

  @Test
  @Order(7)
  void aFullTargetFailsThePassAndTheNextLoadGoesOnWithWhatIsThere() throws IOException {
    harness.saltmarsh().faults(-1, 60L << 20, 0, -1, "");
    JsonNode failed = journey.follow("/waves/lending/load", null);
    assertEquals("failed", failed.path("state").asText());
    assertEquals("no-space", failed.path("problem").path("code").asText());
    assertTrue(failed.path("problem").path("remedy").path("advice").asText().contains("room"));
    assertEquals(0, lost());
    // This time the target dies in the middle, and with it what it had not flushed.
    harness.saltmarsh().loseUnflushed(10);
    String load = api.post("/waves/lending/load", null).path("id").asText();
    journey.await("a third", w -> w.path("lastPass").path("sent").asLong() > 60L << 20);
    harness.kill("cloud");
    harness.cloud();
    assertEquals("done", Follow.run(api, load, line -> {}).json().path("state").asText());
    JsonNode pass = lastComplete();
    assertEquals("compare", pass.path("kind").asText());
    assertTrue(
        pass.path("sent").asLong() < 200L << 20, "what arrived before is not sent again: " + pass);
    assertTrue(Journey.open(journey.wave(), "laden"));
    assertTheReplicasEqualTheirDisks();
  }

  /** All but the blocks that the guests write to now. */
  private static void assertTheReplicasEqualTheirDisks() throws IOException {
    int compared = 0;
    for (String machine : List.of("lending-db", "lending-app")) {
      java.util.List<String> disks = harness.estate().disks(machine);
      for (int i = 0; i < disks.size(); i++) {
        String end = "-" + machine + "-d" + i;
        for (String thing : harness.saltmarsh().ours()) {
          if (thing.startsWith("volume ") && thing.endsWith(end)) {
            String replica = thing.substring(7);
            int differ = harness.estate().differing(disks.get(i), harness.saltmarsh(), replica);
            assertTrue(differ <= 4, replica + " differs in " + differ + " blocks");
            compared++;
          }
        }
      }
    }
    assertEquals(3, compared, String.valueOf(harness.saltmarsh().ours()));
  }

  private static JsonNode lastComplete() {
    for (JsonNode p : api.get("/waves/lending/passes")) {
      if (p.path("state").asText().equals("complete")) {
        return p;
      }
    }
    throw new IllegalStateException("no pass is complete");
  }

  @Test
  @Order(8)
  void aMarkerAdvancesLastAndAPassWhoseSourceScratchIsFullIsGivenUpWithoutHarm()
      throws IOException {
    journey.awaitPoint(Instant.now());
    String marker = journey.wave().path("leg").path("marker").asText();
    // No room for a single old block, and reads so slow that the guest writes meanwhile.
    harness.estate().faults(0, -1, 700, -1, "");
    JsonNode wave =
        journey.await(
            "a pass that failed", w -> w.path("lastPass").path("state").asText().equals("failed"));
    assertTrue(
        wave.path("lastPass").path("problem").asText().contains("scratch"),
        wave.path("lastPass").toString());
    assertEquals(0, lost());
    JsonNode now = api.get("/waves/lending");
    String later = now.path("leg").path("marker").asText();
    assertTrue(
        harness.estate().driver().source().markers().contains(later),
        "the marker of the newest point still tracks");
    harness.estate().noFaults();
    journey.awaitPoint(Instant.now());
    assertFalse(marker.isEmpty());
    assertEquals(0, lost());
    assertTrue(
        harness.estate().driver().source().markers().size() <= 2,
        "given-up passes leave no marker: " + harness.estate().driver().source().markers());
  }

  @Test
  @Order(9)
  void aCutConnectionIsTakenUpAgain() throws IOException {
    journey.awaitPoint(Instant.now());
    harness.estate().faults(-1, -1, 0, 200_000, "");
    // Each connection is cut after 200 kB; a delta is a few blocks of 64 KiB a disk.
    journey.awaitPoint(Instant.now());
    harness.estate().noFaults();
    assertEquals(0, lost());
  }

  /** A bit that the target's storage has lost since it was verified. */
  @Test
  @Order(10)
  void aScrubFindsWhatTheTargetHasNotKeptAndTheNextPassMendsIt() throws IOException {
    journey.awaitPoint(Instant.now());
    journey.work("/waves/lending/scrub", null);
    journey.pause();
    String replica =
        harness.saltmarsh().ours().stream()
            .filter(o -> o.startsWith("volume ") && o.endsWith("-lending-app-d0"))
            .findFirst()
            .orElseThrow()
            .substring(7);
    damage(replica);
    api.post("/waves/lending/resume", null);
    journey.awaitPoint(Instant.now());
    journey.pause();
    JsonNode scrub = journey.follow("/waves/lending/scrub", null);
    assertEquals("copy-differs", scrub.path("problem").path("code").asText(), scrub.toString());
    assertTrue(
        api.get("/overview").path("needs").toString().contains("disk 0 of lending-app"),
        api.get("/overview").path("needs").toString());
    api.post("/waves/lending/resume", null);
    journey.awaitPoint(Instant.now());
    assertEquals("", journey.wave().path("leg").path("scrubFound").asText());
    journey.work("/waves/lending/scrub", null);
    assertEquals(0, lost());
  }

  /** Changes one bit of a file's content in a replica that nobody else writes to. */
  private static void damage(String replica) throws IOException {
    ByteBuffer bit = ByteBuffer.allocate(1);
    try (BlockDevice disk = harness.saltmarsh().open(replica, true)) {
      // A block with data in the second half of the disk: no guest writes there.
      long at =
          disk.status(BlockDevice.Context.ALLOCATION, 0, disk.size()).stream()
              .filter(BlockDevice.Extent::set)
              .reduce((a, b) -> b)
              .orElseThrow()
              .offset();
      disk.read(at, bit);
      bit.put(0, (byte) (bit.get(0) ^ 1));
      disk.write(at, bit.flip());
      disk.flush();
    } finally {
      harness.saltmarsh().closeLook(replica);
    }
  }

  @Test
  @Order(11)
  void aTargetThatCannotStartTheMachinesGivesThemBackToTheSource() throws IOException {
    journey.work("test");
    harness.saltmarsh().faults(-1, -1, 0, -1, "lending-app");
    JsonNode failed = journey.follow("/waves/lending/cutover", Map.of("confirm", "lending"));
    assertEquals("failed", failed.path("state").asText());
    assertTrue(failed.path("problem").path("detail").asText().contains("no room for lending-app"));
    harness.saltmarsh().noFaults();
    for (String machine : List.of("lending-db", "lending-app")) {
      assertTrue(harness.estate().runs(machine), machine + " runs at its source again");
    }
    assertTrue(
        harness.saltmarsh().ours().stream().noneMatch(o -> o.startsWith("machine")),
        harness.saltmarsh().ours().toString());
    journey.awaitPoint(Instant.now());
    assertTrue(Journey.open(journey.wave(), "in step"));
    assertEquals(0, lost());
  }

  /** The machines answer the service, by the platform's own way in, but no client gets to them. */
  @Test
  @Order(12)
  void aTargetThatShutsOutWhomItIsToLetInGivesThemBackToo() throws IOException {
    for (String machine : List.of("lending-db", "lending-app")) {
      within(machine, 5);
    }
    harness.saltmarsh().shut("lending-app");
    JsonNode failed = journey.follow("/waves/lending/cutover", Map.of("confirm", "lending"));
    assertEquals("shut-out", failed.path("problem").path("code").asText(), failed.toString());
    assertTrue(
        failed
            .path("problem")
            .path("detail")
            .asText()
            .contains("saltmarsh is to let in tcp/8080 from 10.20.0.0/16"),
        failed.path("problem").toString());
    harness.saltmarsh().noFaults();
    for (String machine : List.of("lending-db", "lending-app")) {
      assertTrue(harness.estate().runs(machine), machine + " runs at its source again");
      within(machine, 180);
    }
    journey.awaitPoint(Instant.now());
    assertEquals(0, lost());
  }

  private static void within(String machine, int seconds) {
    api.put("/waves/lending/probes", Map.of("machine", machine, "withinSeconds", seconds));
  }

  /** Between the preflight of a move and its landing. */
  @Test
  @Order(13)
  void aTargetThatHasChangedItsMindIsFoundBeforeAnythingIsStopped() throws IOException {
    journey.awaitPoint(Instant.now());
    String size = journey.wave().path("machines").path(0).path("size").asText();
    harness.saltmarsh().withdraw(size);
    assertTrue(Journey.open(journey.wave(), "sized"), "nobody has asked it yet");
    JsonNode failed = journey.follow("/waves/lending/cutover", Map.of("confirm", "lending"));
    assertEquals("failed", failed.path("state").asText());
    assertEquals("size-not-offered", failed.path("problem").path("code").asText());
    assertTrue(
        failed.path("problem").path("detail").asText().contains("saltmarsh would not take"),
        failed.path("problem").toString());
    for (JsonNode step : failed.path("steps")) {
      assertTrue(
          !step.path("name").asText().equals("stop")
              || step.path("state").asText().equals("waiting"),
          failed.path("steps").toString());
    }
    assertFalse(Journey.open(journey.wave(), "sized"), "the page says so too");
    harness.saltmarsh().noFaults();
    journey.scan("saltmarsh");
    assertTrue(Journey.open(journey.wave(), "sized"));
    journey.awaitPoint(Instant.now());
  }

  /** Fourteen sites that accept and never answer: another wave goes on meanwhile. */
  @Test
  @Order(14)
  void sitesThatNeverAnswerHarmOnlyThemselves() throws Exception {
    ExecutorService asking = Executors.newCachedThreadPool();
    // Nobody accepts: the system completes connections, and nothing comes of them.
    try (ServerSocket mute = new ServerSocket(0, 500, InetAddress.getLoopbackAddress())) {
      Platform silent = new Platform("http://127.0.0.1:" + mute.getLocalPort(), "x");
      List<Future<JsonNode>> checks = new ArrayList<>();
      List<String> scans = new ArrayList<>();
      for (int i = 0; i < 14; i++) {
        String site = "silent-" + i;
        journey.addSite(site, silent);
        scans.add(api.post("/sites/" + site + "/scan", null).path("id").asText());
        checks.add(asking.submit(() -> journey.check(site)));
      }
      for (int i = 0; i < 3; i++) {
        journey.awaitPoint(Instant.now());
      }
      for (String scan : scans) {
        assertEquals("running", api.get("/runs/" + scan).path("state").asText());
      }
      assertTrue(Journey.open(journey.wave(), "in step"));
      for (Future<JsonNode> check : checks) {
        assertTrue(check.get().toString().contains("site-unreachable"), check.get().toString());
      }
    } finally {
      asking.shutdownNow();
    }
  }
}
