package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import bargelane.sites.ExportRef;
import bargelane.sites.libvirt.LibvirtDriver;
import bargelane.standins.host.DemoGuest;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.TreeMap;

/**
 * A full pass from one hypervisor host to another beside the hypervisor's own image tool copying
 * the same export to the same place: {@code qemu-img convert} from the snapshot's disk server to
 * the volume's, before and after. The pass hashes every block and reads back what it wrote; the
 * tool does neither.
 */
final class HostBench {

  private static final long DISK = 1L << 30;
  private static final String SETTINGS = "&devices=ide&reserve-mib=64";
  private static final int ROUNDS = 3;

  /** Rounds that are not counted, in which code is compiled. */
  private static final int WARM = 2;

  private static final long WARM_SECONDS = 30;
  private static final long SECONDS = 60;

  private HostBench() {}

  static void run() throws IOException {
    Path dir = SmallMachines.shortDirectory();
    try (DemoHost home = DemoHost.start("games", dir.resolve("a"), "room", "10.20.1.1");
        DemoHost away = DemoHost.start("irc", dir.resolve("b"), "hithe", "10.20.1.1");
        Harness harness = Harness.create().database().service()) {
      for (int i = 0; i < ROUNDS + WARM; i++) {
        Path raw = dir.resolve("archive.raw");
        fill(raw, i);
        home.takeIn(
            DemoGuest.small(
                "archive-" + i, List.of(raw), "qcow2", "10.20.1.0/24", "10.20.1.3" + i, 9));
        Files.delete(raw);
      }
      String from = home.address(SETTINGS);
      String to = away.address(SETTINGS);
      ApiClient api = harness.api();
      Journey journey = new Journey(api, line -> {});
      join(journey, api, from, to);
      journey.timetable(3600, 7200, 2);
      List<Double> tools = new ArrayList<>();
      List<Double> passes = new ArrayList<>();
      List<Double> ratios = new ArrayList<>();
      for (int i = 0; i < ROUNDS + WARM; i++) {
        double before = convert(from, to, i);
        double pass = pass(api, journey, "archive-" + i);
        double tool = (before + convert(from, to, i)) / 2;
        if (i >= WARM) {
          tools.add(tool);
          passes.add(pass);
          ratios.add(pass / tool);
        }
      }
      say(
          "host to host, 1 GiB of data, medians of %d: qemu-img convert %.0f MiB/s; full pass, hashed and read back %.0f MiB/s; the pass is %.2f of the tool (%s)",
          ROUNDS,
          median(tools),
          median(passes),
          median(ratios),
          ratios.stream().map(r -> String.format(Locale.ROOT, "%.2f", r)).toList());
    } finally {
      SmallMachines.delete(dir);
    }
    processes();
  }

  private static double median(List<Double> values) {
    return values.stream().sorted().skip(values.size() / 2).findFirst().orElseThrow();
  }

  private static void fill(Path raw, int seed) throws IOException {
    Random random = new Random(seed);
    byte[] part = new byte[1 << 20];
    try (OutputStream out = Files.newOutputStream(raw)) {
      for (long at = 0; at < DISK; at += part.length) {
        random.nextBytes(part);
        out.write(part);
      }
    }
  }

  /**
   * What a pass begins on the hosts that has nothing to move: two machines that run and write
   * nothing, a pass every five seconds.
   */
  private static void processes() throws IOException {
    Path dir = SmallMachines.shortDirectory();
    try (DemoHost home = DemoHost.start("games", dir.resolve("a"), "room", "10.20.1.1");
        DemoHost away = DemoHost.start("irc", dir.resolve("b"), "hithe", "10.20.1.1");
        Harness harness = Harness.create().database().service()) {
      List<String> machines = List.of("still-1", "still-2");
      for (String machine : machines) {
        int address = 30 + machines.indexOf(machine);
        home.takeIn(
            DemoGuest.small(
                machine,
                SmallMachines.guestDisks().subList(0, 1),
                "qcow2",
                "10.20.1.0/24",
                "10.20.1." + address,
                freePort()));
        // Running for the host, and halted before its first instruction.
        home.virsh("start", machine, "--paused");
      }
      ApiClient api = harness.api();
      Journey journey = new Journey(api, line -> {});
      join(journey, api, home.address(SETTINGS), away.address(SETTINGS));
      journey.timetable(5, 60, 6);
      wave(api, Journey.WAVE, machines);
      journey.work("load");
      Harness.pause(WARM_SECONDS * 1000);
      try (ProcessStarts starts = new ProcessStarts()) {
        int before = journey.wave().path("lastPass").path("number").asInt();
        Harness.pause(SECONDS * 1000);
        int passes = journey.wave().path("lastPass").path("number").asInt() - before;
        Map<String, Integer> ended = new TreeMap<>(starts.ended());
        // The database's server begins one for each connection and each tidying.
        ended.remove("postgres");
        say(
            "an empty pass of two machines, host to host: %.1f processes a pass on both (%d passes: %s)",
            ended.values().stream().mapToInt(Integer::intValue).sum() / (double) passes,
            passes,
            ended);
      }
    } finally {
      SmallMachines.delete(dir);
    }
  }

  private static void say(String form, Object... values) {
    System.out.println(String.format(Locale.ROOT, form, values));
  }

  private static double rate(Duration took) {
    return DISK / 1048576.0 / (took.toMillis() / 1000.0);
  }

  private static double convert(String from, String to, int machine) throws IOException {
    LibvirtDriver source = new LibvirtDriver("from", from, Clock.systemUTC());
    LibvirtDriver target = new LibvirtDriver("to", to, Clock.systemUTC());
    String disk =
        source.inventory().machines().stream()
            .filter(m -> m.name().equals("archive-" + machine))
            .findFirst()
            .orElseThrow()
            .disks()
            .get(0)
            .volume();
    source.source().snapshot("bench", "bargelane/bench", List.of(disk), Optional.empty(), false);
    target.target().createVolume("bench", "bargelane/bench", DISK, "pool", "");
    ExportRef read = source.source().openSnapshot("bench-s", "bench", disk, Optional.empty());
    ExportRef write = target.target().openVolume("bench-t", "bench", true);
    Instant begun = Instant.now();
    Process p =
        new ProcessBuilder(
                "qemu-img", "convert", "-n", "-f", "raw", "-O", "raw", read.uri(), write.uri())
            .inheritIO()
            .start();
    if (p.onExit().join().exitValue() != 0) {
      throw new IOException("qemu-img convert failed");
    }
    // What it wrote reaches the image's file when its server ends.
    target.target().closeExport("bench-t");
    Duration took = Duration.between(begun, Instant.now());
    source.source().closeExport("bench-s");
    source.source().dropSnapshot("bench");
    source.source().forgetMarker("bench");
    target.target().deleteVolume("bench");
    return rate(took);
  }

  private static double pass(ApiClient api, Journey journey, String machine) {
    wave(api, machine, List.of(machine));
    JsonNode run = journey.work("/waves/" + machine + "/load", null);
    if (!run.path("state").asText().equals("done")) {
      throw new IllegalStateException(run.toString());
    }
    for (JsonNode pass : api.get("/waves/" + machine + "/passes")) {
      JsonNode steps = api.get("/runs/" + pass.path("run").asText()).path("steps");
      for (JsonNode s : steps) {
        if (s.path("name").asText().equals("ship")) {
          return rate(
              Duration.between(
                  Instant.parse(s.path("startedAt").asText()),
                  Instant.parse(s.path("endedAt").asText())));
        }
      }
    }
    throw new IllegalStateException("no pass was shipped");
  }

  private static int freePort() throws IOException {
    try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      return socket.getLocalPort();
    }
  }

  private static void join(Journey journey, ApiClient api, String from, String to) {
    for (Map.Entry<String, String> site : Map.of("room", from, "hithe", to).entrySet()) {
      api.post(
          "/sites", Map.of("name", site.getKey(), "kind", "libvirt", "address", site.getValue()));
      journey.scan(site.getKey());
    }
    api.post(
        "/lanes",
        Map.of(
            "name", "over",
            "from", "room",
            "to", "hithe",
            "networks", Map.of("room", "hithe"),
            "storages", Map.of("pool", "pool"),
            "zone", "",
            "keepAddresses", true));
  }

  private static void wave(ApiClient api, String name, List<String> machines) {
    api.post(
        "/waves",
        Map.of(
            "name",
            name,
            "lane",
            "over",
            "timetable",
            "brisk",
            "machines",
            machines.stream().map(m -> Map.of("machine", m, "rank", 1)).toList()));
  }
}
