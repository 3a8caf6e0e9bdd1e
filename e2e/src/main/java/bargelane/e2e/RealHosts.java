package bargelane.e2e;

import bargelane.client.ApiClient;
import bargelane.standins.host.DemoGuest;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;

/** Both hosts, the first one with the guest on it and running. */
final class RealHosts implements AutoCloseable {
  private final Path dir = SmallMachines.shortDirectory();
  final Shore home;
  final Shore away;

  /**
   * With the demo's small guest.
   *
   * @param room MiB that the hithe's pool has; 0 for all there is
   */
  RealHosts(int room) throws IOException {
    this(
        DemoGuest.small(
                RealTour.GUEST,
                SmallMachines.guestDisks(),
                "qcow2",
                "10.20.1.0/24",
                "10.20.1.21",
                freePort())
            .and("10.20.2.0/24", RealTour.KEPT),
        room);
  }

  RealHosts(DemoGuest guest, int room) throws IOException {
    Path yard = SmallMachines.yard();
    home =
        new Shore(
            DemoHost.start("games", dir.resolve("a"), "reading-room", "10.20.1.1"),
            "&devices=ide&reserve-mib=64&yard=" + yard);
    DemoHost hithe = DemoHost.start("irc", dir.resolve("b"), "quayside", "10.20.7.1");
    if (room > 0) {
      hithe.room(room);
    }
    String settings = "&devices=virtio&reserve-mib=8&yard=" + yard;
    away = new Shore(hithe, hithe.overSsh(settings), settings);
    home.host.network("stacks", "10.20.2.1");
    hithe.network("stacks", "10.20.2.1");
    home.host.takeIn(guest);
    home.host.virsh("start", guest.name());
  }

  static int freePort() throws IOException {
    try (ServerSocket s = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      return s.getLocalPort();
    }
  }

  Path dir() {
    return dir;
  }

  /** Copies what both hosts, and the machines on them, logged. */
  void keepLogs(Path to) throws IOException {
    for (String host : List.of("a", "b")) {
      Path from = dir.resolve(host);
      try (Stream<Path> logs = Files.walk(from)) {
        for (Path log : logs.filter(p -> p.toString().endsWith(".log")).toList()) {
          Path copy = to.resolve(host).resolve(from.relativize(log).toString());
          Files.createDirectories(copy.getParent());
          Files.copy(log, copy);
        }
      }
    }
  }

  @Override
  public void close() throws IOException {
    home.host.close();
    away.host.close();
    SmallMachines.delete(dir);
  }

  static JsonNode addSite(ApiClient api, String name, String address) {
    return api.post("/sites", Map.of("name", name, "kind", "libvirt", "address", address));
  }

  /** Joins the annex to the hithe. */
  static JsonNode join(ApiClient api) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", "annex-to-hithe");
    body.put("from", RealTour.HOME);
    body.put("to", RealTour.AWAY);
    body.put("networks", Map.of("reading-room", "quayside", "stacks", "stacks"));
    body.put("storages", Map.of("pool", "pool"));
    body.put("zone", "");
    body.put("keepAddresses", true);
    return api.post("/lanes", body);
  }

  /** Plans the wave of the one guest. */
  static void plan(ApiClient api, Journey journey, int every) {
    plan(api, journey, every, RealTour.GUEST);
  }

  static void plan(ApiClient api, Journey journey, int every, String guest) {
    journey.timetable(every, 60, 4);
    api.post(
        "/waves",
        Map.of(
            "name",
            Journey.WAVE,
            "lane",
            "annex-to-hithe",
            "timetable",
            "brisk",
            "machines",
            List.of(Map.of("machine", guest, "rank", 1))));
  }

  /** Waits until a guest answers, and gives what it tells. */
  static JsonNode answer(Shore shore) throws IOException {
    long until = System.nanoTime() + Duration.ofSeconds(RealTour.BOOT_SECONDS).toNanos();
    while (System.nanoTime() < until) {
      JsonNode status = shore.status(RealTour.GUEST);
      if (status.has("records")) {
        return status;
      }
      Harness.pause(200);
    }
    throw new IOException("the guest does not answer within " + RealTour.BOOT_SECONDS + " s");
  }
}
