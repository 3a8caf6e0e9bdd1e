package bargelane.sites.standin;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.layout.Partition;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageSeries;
import bargelane.sites.Drivers;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.standins.StandinServer;
import com.sun.net.httpserver.HttpServer;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The demo estate as the service's driver sees it, with some made-up machines more. */
class StandinEstateTest {

  private static final int MACHINES = 60;
  @TempDir static Path dir;
  private static StandinServer server;
  private static SiteDriver estate;

  @BeforeAll
  static void start() throws IOException {
    server =
        StandinServer.start("estate", MACHINES, dir.resolve("estate"), dir.resolve("r"), 0, false);
    estate =
        Drivers.open(
            SiteKind.STANDIN, "mill", server.address(), "mill-street-demo", Clock.systemUTC());
  }

  @AfterAll
  static void stop() throws IOException {
    server.close();
  }

  private static Map<String, UsageSeries> read(Instant from, Instant to) {
    Map<String, UsageSeries> all = new HashMap<>();
    estate.history().orElseThrow().read(from, to, s -> all.put(s.platformId(), s));
    return all;
  }

  @Test
  void theEstateShowsEveryDifficulty() {
    Inventory all = estate.inventory();
    assertEquals(MACHINES, all.machines().size());
    Map<String, MachineFacts> named =
        all.machines().stream().collect(Collectors.toMap(MachineFacts::name, m -> m));
    assertEquals("Windows Server 2008 R2", named.get("print-server").os());
    assertEquals("database-per-core", named.get("catalogue-db-1").labels().get("licence"));
    assertTrue(named.get("photo-archive").disks().stream().anyMatch(d -> d.bytes() > 16L << 40));
    assertEquals(
        named.get("files").disks().subList(1, 3),
        named.get("files-standby").disks().subList(1, 3),
        "the cluster shares its disks");
  }

  @Test
  void samplesAreTheSameHoweverTheyAreAskedFor() {
    Instant end = Instant.now().truncatedTo(ChronoUnit.DAYS);
    Map<String, UsageSeries> whole = read(end.minus(Duration.ofHours(6)), end);
    Map<String, UsageSeries> late = read(end.minus(Duration.ofHours(2)), end);
    UsageSeries db = whole.get("vm-101");
    assertEquals(72, db.samples());
    float[] last = new float[24 * Metric.values().length];
    System.arraycopy(db.values(), db.values().length - last.length, last, 0, last.length);
    assertArrayEquals(last, late.get("vm-101").values());
    assertEquals(Optional.empty(), Optional.ofNullable(whole.get("vm-243")), "it is off");
    Map<String, UsageSeries> old = read(Instant.EPOCH, end);
    assertTrue(old.get("vm-101").samples() <= 45 * 288);
    assertTrue(old.get("vm-151").samples() <= 9 * 288, "recorded for nine days only");
  }

  @Test
  void theQuietMachineIsBusyAtTheTurnOfTheMonthOnly() {
    Instant now = Instant.now();
    UsageSeries notices = read(now.minus(Duration.ofDays(45)), now).get("vm-161");
    int busy = 0;
    for (int i = 0; i < notices.samples(); i++) {
      busy += notices.values()[i * Metric.values().length] > 2 ? 1 : 0;
    }
    assertTrue(busy > 60 && busy < 0.03 * notices.samples(), busy + " busy samples");
  }

  @Test
  void connectionsOfNeighbouringTimesAddUp() {
    Instant end = Instant.now().minus(Duration.ofHours(1)).truncatedTo(ChronoUnit.MILLIS);
    Instant middle = end.minus(Duration.ofHours(37));
    Instant start = end.minus(Duration.ofDays(10));
    Map<String, Long> parts = new HashMap<>();
    for (List<Conversation> part :
        List.of(
            estate.conversations(start, middle).orElseThrow(),
            estate.conversations(middle, end).orElseThrow())) {
      part.forEach(c -> parts.merge(c.client() + c.server() + c.port(), c.count(), Long::sum));
    }
    Map<String, Long> whole = new HashMap<>();
    estate
        .conversations(start, end)
        .orElseThrow()
        .forEach(c -> whole.merge(c.client() + c.server() + c.port(), c.count(), Long::sum));
    assertEquals(whole, parts);
    assertTrue(whole.size() > 80, whole.size() + " kinds");
  }

  @Test
  void aMachinesDisksAreMadeWhenTheyAreNeededAndItsGuestWrites() throws Exception {
    MachineFacts names =
        estate.inventory().machines().stream()
            .filter(m -> m.name().equals("names-2"))
            .findFirst()
            .orElseThrow();
    String disk = names.disks().get(0).volume();
    assertTrue(names.on());
    estate.source().snapshot("s-1", "bargelane/t", List.of(disk), Optional.empty(), false);
    try (NbdClient bytes =
        NbdClient.connect(
            NbdAddress.parse(
                estate.source().openSnapshot("x-1", "s-1", disk, Optional.empty()).uri()))) {
      assertEquals(names.disks().get(0).bytes(), bytes.size());
      assertTrue(Partition.read(bytes).get(0).bootable());
    }
    estate.source().dropSnapshot("s-1");
    long first = written();
    long until = System.nanoTime() + Duration.ofSeconds(60).toNanos();
    while (written() == first) {
      assertTrue(System.nanoTime() < until, "its guest writes");
      Thread.onSpinWait();
    }
  }

  private static long written() {
    return estate.usage().get("vm-212").writes().orElseThrow();
  }

  /** A platform that answers nonsense is refused with a reason, and nothing is kept of it. */
  @Test
  void nonsenseIsRefused() throws IOException {
    List<byte[]> answers = new ArrayList<>();
    answers.add(new byte[] {0, 3, 'v'});
    answers.add(answer(1, 70, 1));
    answers.add(answer(1, 300, Integer.MAX_VALUE));
    answers.add(answer(1, 300, -1));
    answers.add("<html>".getBytes(java.nio.charset.StandardCharsets.UTF_8));
    HttpServer liar =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    try {
      liar.createContext(
          "/",
          x -> {
            byte[] body = answers.remove(0);
            x.sendResponseHeaders(200, body.length);
            x.getResponseBody().write(body);
            x.close();
          });
      liar.start();
      SiteDriver driver =
          Drivers.open(
              SiteKind.STANDIN,
              "liar",
              "http://127.0.0.1:" + liar.getAddress().getPort(),
              "t",
              Clock.systemUTC());
      for (int i = 0; i < 4; i++) {
        assertThrows(
            SiteException.class,
            () -> driver.history().orElseThrow().read(Instant.EPOCH, Instant.now(), s -> {}));
      }
      assertThrows(SiteException.class, () -> driver.conversations(Instant.EPOCH, Instant.now()));
    } finally {
      liar.stop(0);
    }
  }

  private static byte[] answer(long first, int step, int count) throws IOException {
    java.io.ByteArrayOutputStream bytes = new java.io.ByteArrayOutputStream();
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeUTF("vm-1");
    out.writeLong(first);
    out.writeInt(step);
    out.writeInt(count);
    for (int i = 0; i < Metric.values().length; i++) {
      out.writeFloat(1);
    }
    return bytes.toByteArray();
  }
}
