package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Lease;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.client.ApiClient;
import bargelane.sites.SiteException;
import bargelane.standins.guest.Ring.Entry;
import bargelane.tug.HttpLeaseDesk;
import bargelane.tug.LeaseDesk;
import bargelane.tug.Tug;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
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

/** One test for each invariant of the data path, in the order of docs/architecture.md. */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class InvariantsTest {

  private static Harness harness;
  private static ApiClient api;
  private static Journey journey;
  private static Tug tug;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().database().estate("estate").cloud().service(List.of("--no-tug"));
    api = harness.api();
    journey = new Journey(api, line -> {});
    journey.prepare(harness, 5, 60);
  }

  @AfterAll
  static void stop() throws IOException {
    if (tug != null) {
      tug.close();
    }
    harness.close();
  }

  private static LeaseDesk desk() {
    return new HttpLeaseDesk(
        URI.create(harness.serviceAddress()), harness.token(), harness.trust());
  }

  /** Invariant 5, with no tug but the ones of this test. */
  @Test
  @Order(1)
  void oneWriterAStalledTugThatWritesAfterItsLeaseWasTakenOverIsRefused() throws IOException {
    api.post("/waves/lending/load", null);
    Lease stalled = desk().take("stalled", 20).orElseThrow();
    assertEquals("full", stalled.kind());
    LeaseOpened opened = desk().open(stalled.pass(), new LeaseOpen(stalled.epoch(), 0));
    NbdClient writer = NbdClient.connect(NbdAddress.parse(opened.targetUri()));
    writer.write(
        0, ByteBuffer.wrap("written while the lease was held".getBytes(StandardCharsets.US_ASCII)));
    // It says nothing for longer than its lease lasts; the work is given to another.
    Lease taken =
        java.util.stream.Stream.generate(() -> again())
            .filter(java.util.Optional::isPresent)
            .findFirst()
            .orElseThrow()
            .get();
    assertEquals(stalled.pass(), taken.pass());
    assertEquals(stalled.epoch() + 1, taken.epoch());
    assertThrows(IOException.class, () -> writer.write(0, ByteBuffer.wrap(new byte[] {1})));
    writer.close();
    assertThrows(
        LeaseDesk.LeaseLostException.class,
        () -> desk().report(stalled.pass(), new LeaseReport(stalled.epoch(), 0, 1, 1, 1, 1, 0, 0)));
    desk()
        .failed(
            taken.pass(),
            new bargelane.api.LeaseFailed(taken.epoch(), "may-pass", "this tug only looked"));
    tug = new Tug("of-the-test", desk(), 2, 2);
    journey.await("the wave is laden", w -> Journey.open(w, "laden"));
  }

  private static java.util.Optional<Lease> again() {
    try {
      return desk().take("successor", 20);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static String clone(JsonNode point, String volume, String as) throws IOException {
    Platform cloud = harness.saltmarsh();
    cloud.call(
        "POST",
        "/v1/volumes",
        Map.of(
            "name",
            as,
            "storageClass",
            "reed",
            "owner",
            "of-the-test",
            "point",
            point.path("name").asText(),
            "volume",
            volume));
    return as;
  }

  /** The newest point as the platform knows it. */
  private static JsonNode newestAtTheCloud() throws IOException {
    JsonNode newest = null;
    for (JsonNode p : harness.saltmarsh().call("GET", "/v1/points", null)) {
      newest = p;
    }
    return newest;
  }

  @Test
  @Order(2)
  void aRecoveryPointIsCompleteOfOneInstantAndHasItsManifestBesideIt() throws IOException {
    journey.awaitPoint(Instant.now());
    JsonNode point = newestAtTheCloud();
    List<String> volumes = new ArrayList<>();
    point.path("layers").fieldNames().forEachRemaining(volumes::add);
    List<String> digests = volumes.stream().filter(v -> v.endsWith("-digests")).toList();
    volumes.removeAll(digests);
    assertEquals(3, volumes.size(), "every disk of the tow");
    assertEquals(volumes.stream().map(v -> v + "-digests").toList(), digests);
    List<Long> sequences = new ArrayList<>();
    for (String v : volumes.stream().filter(v -> v.contains("lending-db")).sorted().toList()) {
      List<Entry> ring = harness.saltmarsh().ring(clone(point, v, "look-" + v));
      assertEquals(0, Rings.missing(ring));
      sequences.add(ring.get(ring.size() - 1).sequence());
      harness.saltmarsh().call("DELETE", "/v1/volumes/look-" + v, null);
    }
    assertTrue(
        sequences.get(0) - sequences.get(1) == 0 || sequences.get(0) - sequences.get(1) == 1,
        "the disks are " + sequences);
    String manifest =
        new String(
            harness
                .saltmarsh()
                .driver()
                .target()
                .attachment(point.path("name").asText(), "manifest")
                .orElseThrow(),
            StandardCharsets.UTF_8);
    assertTrue(manifest.startsWith("format: bargelane/manifest/5\n"));
    for (String v : volumes) {
      assertTrue(manifest.contains(v));
      try (BlockDevice kept =
          harness.saltmarsh().open(clone(point, v + "-digests", "kept-" + v), false)) {
        String held =
            harness.saltmarsh().digest(clone(point, v, "whole-" + v), DigestVolume.open(kept).by());
        assertTrue(manifest.contains(held), "its digest is that of the bytes that the point holds");
        assertEquals(held, DigestVolume.root(kept, size(v)));
      }
      harness.saltmarsh().closeLook("kept-" + v);
      harness.saltmarsh().call("DELETE", "/v1/volumes/whole-" + v, null);
      harness.saltmarsh().call("DELETE", "/v1/volumes/kept-" + v, null);
    }
  }

  private static long size(String volume) throws IOException {
    try (BlockDevice disk = harness.saltmarsh().open(volume, false)) {
      return disk.size();
    } finally {
      harness.saltmarsh().closeLook(volume);
    }
  }

  @Test
  @Order(3)
  void pointsAreImmutableWhateverLaterPassesWrite() throws IOException {
    JsonNode point = newestAtTheCloud();
    String volume = point.path("layers").fieldNames().next();
    assertTrue(!volume.endsWith("-digests"));
    String before = harness.saltmarsh().digest(clone(point, volume, "before"));
    journey.awaitPoint(Instant.now());
    journey.awaitPoint(Instant.now());
    assertEquals(before, harness.saltmarsh().digest(clone(point, volume, "after")));
    harness.saltmarsh().call("DELETE", "/v1/volumes/before", null);
    harness.saltmarsh().call("DELETE", "/v1/volumes/after", null);
  }

  /** What the target's storage has changed by itself is in no write-intent set and no tracking. */
  @Test
  @Order(3)
  void aDeepPassMendsWhatTheTargetHasNotKept() throws IOException {
    journey.awaitPoint(Instant.now());
    JsonNode before = newestAtTheCloud();
    String volume = before.path("layers").fieldNames().next();
    // The first block, with the partition table, and one that never held anything.
    List<Long> spoilt = List.of(0L, size(volume) - 65536);
    journey.pause();
    try (BlockDevice replica = harness.saltmarsh().open(volume, true)) {
      for (long at : spoilt) {
        replica.write(at, ByteBuffer.wrap(new byte[] {13, 13, 13}));
      }
    }
    harness.saltmarsh().closeLook(volume);
    journey.work("/waves/lending/passes", null);
    assertEquals(13, bytes(newestAtTheCloud(), volume, 0)[0], "not noticed so far");
    JsonNode run = journey.work("/waves/lending/passes?deep=true", null);
    assertEquals("done", run.path("state").asText());
    for (long at : spoilt) {
      assertArrayEquals(bytes(before, volume, at), bytes(newestAtTheCloud(), volume, at));
    }
    JsonNode pass = api.get("/waves/lending/passes").get(0);
    assertEquals("compare", pass.path("kind").asText());
    journey.work("/waves/lending/passes", null);
    assertEquals(
        "delta",
        api.get("/waves/lending/passes").get(0).path("kind").asText(),
        "what is tracked suffices again");
    api.post("/waves/lending/resume", null);
  }

  private static byte[] bytes(JsonNode point, String volume, long at) throws IOException {
    try (BlockDevice disk = harness.saltmarsh().open(clone(point, volume, "at"), false)) {
      ByteBuffer found = ByteBuffer.allocate(4096);
      disk.read(at, found);
      return found.array();
    } finally {
      harness.saltmarsh().closeLook("at");
      harness.saltmarsh().call("DELETE", "/v1/volumes/at", null);
    }
  }

  @Test
  @Order(4)
  void aMarkerAdvancesLastSoThatALostOneMeansACompare() throws IOException {
    JsonNode wave = journey.awaitPoint(Instant.now());
    String marker = wave.path("leg").path("marker").asText();
    assertTrue(harness.estate().driver().source().markers().contains(marker));
    // Somebody removes our markers behind our back, whenever there are some: a pass compares and
    // loses nothing.
    journey.await(
        "a compare",
        w -> {
          for (JsonNode p : api.get("/waves/lending/passes")) {
            if (p.path("kind").asText().equals("compare")) {
              return p.path("state").asText().equals("complete");
            }
          }
          harness
              .estate()
              .driver()
              .source()
              .markers()
              .forEach(m -> harness.estate().driver().source().forgetMarker(m));
          return false;
        });
    journey.work("test");
  }

  private static List<Integer> numbers(JsonNode wave) {
    List<Integer> all = new ArrayList<>();
    wave.path("points").forEach(p -> all.add(p.path("number").asInt()));
    return all;
  }

  @Test
  @Order(5)
  void aPointThatATestWorksWithIsNotThinnedUntilItIsFinished() throws IOException {
    String test = api.post("/waves/lending/test", Map.of("hold", true)).path("id").asText();
    journey.await(
        "the test is held",
        w -> {
          JsonNode run = api.get("/runs/" + test);
          for (JsonNode step : run.path("steps")) {
            if (step.path("name").asText().equals("hold")) {
              return step.path("state").asText().equals("running");
            }
          }
          throw new IllegalStateException("no step holds: " + run);
        });
    int point = pointOf(test);
    JsonNode later =
        journey.await(
            "more points than are kept",
            w -> numbers(w).stream().mapToInt(n -> n).max().orElseThrow() >= point + 8);
    assertTrue(numbers(later).contains(point), numbers(later).toString());
    assertTrue(numbers(later).size() <= 8, numbers(later).toString());
    api.post("/runs/" + test + "/finish", null);
    journey.await("the point is thinned", w -> !numbers(w).contains(point));
    assertEquals("done", api.get("/runs/" + test).path("state").asText());
  }

  /** The number of the point that a test cloned. */
  private static int pointOf(String test) {
    for (JsonNode step : api.get("/runs/" + test).path("steps")) {
      if (step.path("name").asText().equals("clone")) {
        return Integer.parseInt(
            step.path("detail").asText().replaceFirst("from point (\\d+) .*", "$1"));
      }
    }
    throw new IllegalStateException("nothing was cloned");
  }

  @Test
  @Order(6)
  void productionComesFirstNoWriteOfAGuestEverFails() throws IOException {
    harness.estate().faults(64 * 1024, -1, 300, -1, "");
    journey.await("a pass ended", w -> w.path("lastPass").path("state").asText().equals("failed"));
    harness.estate().noFaults();
    assertEquals(0, harness.estate().writeFailures("lending-db"));
    assertEquals(0, harness.estate().writeFailures("lending-app"));
    journey.awaitPoint(Instant.now());
  }

  @Test
  @Order(7)
  void nothingForeignIsTouchedAndWhatIsTaggedButUnrecordedIsListed() throws IOException {
    String owner = harness.saltmarsh().driver().target().owned("bargelane/").get(0).owner();
    harness
        .saltmarsh()
        .call(
            "POST",
            "/v1/volumes",
            Map.of(
                "name",
                "somebody-elses",
                "storageClass",
                "reed",
                "owner",
                "accounting",
                "sizeBytes",
                1 << 20));
    harness
        .saltmarsh()
        .call(
            "POST",
            "/v1/volumes",
            Map.of(
                "name",
                "unrecorded",
                "storageClass",
                "reed",
                "owner",
                owner,
                "sizeBytes",
                1 << 20));
    List<String> unrecorded = new ArrayList<>();
    for (JsonNode l : api.get("/sites/saltmarsh/leftovers")) {
      assertFalse(l.path("name").asText().equals("somebody-elses"));
      if (!l.path("recorded").asBoolean() && !l.path("kind").asText().equals("fence")) {
        unrecorded.add(l.path("name").asText());
      }
    }
    assertEquals(List.of("unrecorded"), unrecorded);
    String removal = "/sites/saltmarsh/leftovers/removal";
    for (Map<String, Object> asked :
        List.<Map<String, Object>>of(
            Map.of("confirm", "saltmarsh", "names", List.of("unrecorded", "somebody-elses")),
            Map.of("confirm", "saltmarsh", "owner", owner),
            Map.of("confirm", "salt", "names", List.of("unrecorded")),
            Map.of("confirm", "saltmarsh"))) {
      assertThrows(ApiClient.ProblemException.class, () -> api.post(removal, asked));
    }
    assertEquals(
        "",
        api.post(removal, Map.of("confirm", "saltmarsh", "names", List.of("unrecorded")))
            .path(0)
            .path("problem")
            .asText("none"));
    assertEquals(
        List.of(),
        harness.saltmarsh().driver().target().owned("bargelane/").stream()
            .filter(o -> o.name().equals("unrecorded"))
            .toList());
  }

  @Test
  @Order(8)
  void aMachineRunsInOnePlace() throws IOException {
    journey.confirmed("cutover");
    String id = harness.estate().machine("lending-db").path("id").asText();
    SiteException refused =
        assertThrows(SiteException.class, () -> harness.estate().driver().compute().start(id));
    assertEquals("fenced", refused.code());
    assertTrue(harness.saltmarsh().runs("lending-db"));
    ApiClient.ProblemException twice =
        assertThrows(
            ApiClient.ProblemException.class,
            () -> api.post("/waves/lending/cutover", Map.of("confirm", "lending")));
    assertEquals("already-landed", twice.problem().code());
  }

  @Test
  @Order(9)
  void turningRoundMovesOnlyChangesAndNeverWritesTheStoppedSourcesOwnDisks() throws IOException {
    List<String> own = harness.estate().disks("lending-db");
    List<String> before =
        List.of(harness.estate().digest(own.get(0)), harness.estate().digest(own.get(1)));
    journey.awaitPoint(Instant.now());
    JsonNode failback = journey.confirmed("failback").path("result");
    assertTrue(failback.path("lastPassBytesSent").asLong() < 8 << 20);
    List<String> now = harness.estate().disks("lending-db");
    assertFalse(now.contains(own.get(0)), "it runs on clones");
    assertEquals(
        before,
        List.of(harness.estate().digest(own.get(0)), harness.estate().digest(own.get(1))),
        "its own disks are as they were when it was stopped");
    journey.confirmed("undo");
    assertTrue(harness.saltmarsh().runs("lending-db") && !harness.estate().runs("lending-db"));
    assertEquals(own, harness.estate().disks("lending-db"), "undo gives them back");
    JsonNode wave = journey.awaitPoint(Instant.now());
    assertEquals("saltmarsh", wave.path("leg").path("from").asText());
  }

  @Test
  @Order(10)
  void settledWhereItLandedNothingOfOursIsLeftAndForeignThingsStand() throws IOException {
    journey.confirmed("settle");
    assertEquals(List.of(), harness.estate().ours());
    assertEquals(List.of(), harness.saltmarsh().ours());
    assertTrue(harness.saltmarsh().runs("lending-db"));
    assertTrue(
        harness.estate().machine("lending-db").path("fenced").asBoolean(),
        "what was left stays fenced");
    assertTrue(
        harness
            .saltmarsh()
            .call("GET", "/v1/inventory", null)
            .toString()
            .contains("somebody-elses"));
  }
}
