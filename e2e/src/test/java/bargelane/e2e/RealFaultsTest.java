package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import bargelane.client.ApiClient;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;

/** Faults between two hypervisor hosts as the service meets them: noticed, explained, recovered. */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class RealFaultsTest {

  private static Harness harness;
  private static RealHosts hosts;
  private static ApiClient api;
  private static Journey journey;

  @BeforeAll
  static void prepare() throws IOException {
    assumeTrue(
        "root".equals(System.getProperty("user.name")),
        "a pool of limited room is a mount, which needs root");
    hosts = new RealHosts(12);
    harness = Harness.create();
    api = harness.database().service().api();
    journey = new Journey(api, line -> {});
    RealHosts.addSite(api, RealTour.HOME, hosts.home.address);
    RealHosts.addSite(api, RealTour.AWAY, hosts.away.address);
    journey.scan(RealTour.HOME);
    journey.scan(RealTour.AWAY);
    RealHosts.join(api);
    RealHosts.plan(api, journey, 10);
    RealHosts.answer(hosts.home);
  }

  @AfterAll
  static void end() throws IOException {
    if (hosts != null) {
      assertEquals(0, RealHosts.answer(hosts.home).path("failed").asInt());
      harness.close();
      hosts.close();
    }
  }

  private static JsonNode completePass() {
    for (JsonNode p : api.get("/waves/lending/passes")) {
      if (p.path("state").asText().equals("complete")) {
        return p;
      }
    }
    throw new IllegalStateException("there is no complete pass");
  }

  private static boolean told(String text) {
    for (JsonNode e : api.get("/events?size=1000")) {
      if (e.path("text").asText().contains(text)) {
        return true;
      }
    }
    return false;
  }

  @Test
  @Order(1)
  void aPoolThatFillsInMidPassIsNamedAndTheNextPassGoesOnWhereThereIsRoom() throws IOException {
    JsonNode failed = journey.follow("/waves/lending/load", Map.of());
    assertEquals("failed", failed.path("state").asText());
    assertEquals("no-space", failed.path("problem").path("code").asText(), failed.toString());
    assertTrue(failed.path("problem").path("remedy").path("advice").asText().contains("make room"));
    hosts.away.host.room(400);
    journey.work("load");
    assertTrue(completePass().path("sent").asLong() > 0);
  }

  @Test
  @Order(2)
  void aDiskThatGrowsMakesItsReplicaGrow() throws IOException {
    long before = journey.wave().path("machines").path(0).path("bytes").asLong();
    hosts.home.host.virsh("blockresize", RealTour.GUEST, "hdb", "80M");
    journey.awaitPoint(Instant.now());
    assertEquals(
        before + (16 << 20), journey.wave().path("machines").path(0).path("bytes").asLong());
    assertTrue(told("has grown from 64MiB to 80MiB"));
  }

  /** While the guest runs, as somebody at the host does it; the guest need not use it. */
  @Test
  @Order(3)
  void aDiskThatIsAttachedToARunningGuestIsCopiedFromTheNextPassOn() throws IOException {
    attach("qcow2", "vda");
    // A pass that has looked at the machine already goes on with the disks that it had.
    journey.await("the disk", w -> told("has a new disk"));
    journey.awaitPoint(Instant.now());
    assertTrue(Journey.open(journey.wave(), "laden"), journey.wave().toString());
    journey.awaitPoint(Instant.now());
    assertEquals("delta", completePass().path("kind").asText(), "it is tracked with the others");
  }

  private static void attach(String format, String device) throws IOException {
    String image = hosts.home.host.pool().resolve("attached." + format).toString();
    hosts.home.host.run("qemu-img", "create", "-q", "-f", format, image, "16M");
    hosts.home.host.run("qemu-io", "-f", format, "-c", "write -P 0x5a 3M 1M", image);
    hosts.home.host.virsh("pool-refresh", "pool");
    hosts.home.host.virsh(
        "attach-disk",
        RealTour.GUEST,
        image,
        device,
        "--driver",
        "qemu",
        "--subdriver",
        format,
        "--targetbus",
        "virtio",
        "--live",
        "--config");
  }

  private static void copy(String scope, String of, int part, String value) {
    Map<String, Object> rule =
        Map.of("scope", scope, "of", of, "part", part, "setting", "copy", "value", value);
    api.put("/lanes/annex-to-hithe/rules", Map.of("changes", List.of(rule)));
  }

  /** A raw image keeps no list of changes: copied, it would have every pass read all of it. */
  @Test
  @Order(4)
  void aDiskThatIsLeftOutCostsThePassesOfTheOthersNothing() throws IOException {
    copy("storage", "pool", -1, "off");
    attach("raw", "vdb");
    journey.await("the disk", w -> told("it is left out, as the lane decides"));
    journey.awaitPoint(Instant.now());
    assertEquals("delta", completePass().path("kind").asText());
    journey.scan(RealTour.HOME);
    copy("disk", RealTour.GUEST, 3, "off");
    copy("storage", "pool", -1, "");
    journey.awaitPoint(Instant.now());
    assertEquals("delta", completePass().path("kind").asText(), "it stays left out");
    assertTrue(Journey.open(journey.wave(), "laden"), journey.wave().toString());
  }

  @Test
  @Order(5)
  void checkpointsDeletedByOthersMakeThePassACompare() throws IOException {
    Instant deleted = null;
    while (deleted == null) {
      try {
        for (String name :
            hosts.home.host.virsh("checkpoint-list", RealTour.GUEST, "--name").split("\n")) {
          if (!name.isBlank()) {
            hosts.home.host.virsh("checkpoint-delete", RealTour.GUEST, name.strip());
          }
        }
        deleted = Instant.now();
      } catch (IOException e) {
        // A pass was running and holds it: once more when it is over.
        journey.awaitPoint(Instant.now());
      }
    }
    journey.awaitPoint(deleted);
    boolean compared = false;
    for (JsonNode p : api.get("/waves/lending/passes?size=5")) {
      compared |= p.path("kind").asText().equals("compare");
    }
    assertTrue(compared, api.get("/waves/lending/passes?size=5").toString());
    journey.awaitPoint(Instant.now());
    assertEquals("delta", completePass().path("kind").asText());
  }

  /** With what they hold in memory: the pass goes on from what the target had flushed. */
  @Test
  @Order(6)
  void diskServersThatAreKilledInMidPassCostNothing() throws IOException {
    journey.pause();
    api.post("/waves/lending/resume", null);
    api.post("/waves/lending/passes?deep=true", null);
    Set<Long> killed = new HashSet<>();
    for (int i = 0; killed.size() < 4 && i < 3000; i++) {
      killed.addAll(hosts.away.host.killDiskServers());
      Harness.pause(100);
    }
    assertTrue(killed.size() >= 4, "replica and digests, each at least twice");
    journey.awaitPoint(Instant.now());
    journey.work("/waves/lending/scrub", null);
    assertEquals("", journey.wave().path("leg").path("scrubFound").asText());
  }

  @Test
  @Order(7)
  void aDaemonAndAServiceThatAreKilledComeBackToTheSameTracking() throws IOException {
    // Not while a backup begins: libvirt would hold the guest for it (HostFaultsTest).
    journey.pause();
    hosts.home.host.killDaemon();
    harness.kill("service");
    harness.service();
    hosts.home.host.startDaemon();
    Instant back = Instant.now();
    api.post("/waves/lending/resume", null);
    journey.awaitPoint(back);
    journey.awaitPoint(Instant.now());
    assertEquals("delta", completePass().path("kind").asText());
  }
}
