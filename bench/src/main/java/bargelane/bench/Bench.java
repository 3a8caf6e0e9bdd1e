package bargelane.bench;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import bargelane.e2e.Platform;
import bargelane.sites.ExportRef;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/**
 * A 4 GiB disk with 2 GiB of data: a full pass beside a plain read of its source export and a plain
 * write of its target export in the same run, each with two connections and 1 MiB requests; then a
 * delta with one per cent of the tracked blocks changed; and the service's peak of memory. Figures
 * are for docs/performance.md.
 */
public final class Bench {

  private static final int CHUNK = 1 << 20;
  private static final int CONNECTIONS = 2;
  private static final int TRACKED_BLOCK = 65536;
  private static final long DISK = 4L << 30;

  private static final String SEED =
      """
      traits: {kind: estate, name: mill-street, version: "4.2", instant: site, granularity: 65536, markersSurviveCrash: false, sized: false}
      tokens: {mill-street-demo: [read, snapshot, volumes, machines, exports, faults]}
      quota: {machines: 10, volumeGib: 500}
      zones: []
      networks: [{id: net-staff, name: staff, zone: "", cidr: 10.20.1.0/24, gateway: 10.20.1.1, isolated: false, like: "", owner: ""}]
      storages: [{id: shelf-a, name: Shelf A, media: ssd, pricePerGibMonth: "0", currency: EUR}]
      sizes: []
      machines:
        - {id: vm-201, name: archive, cpus: 2, memoryMib: 4096, os: Debian GNU/Linux 12, firmware: bios, on: false,
           disks: [{name: photos, sizeMib: 4096, fillMib: 2044, storage: shelf-a}],
           nics: [{network: net-staff, address: 10.20.1.40, mac: "52:54:00:14:01:40"}]}
      """;

  private Bench() {}

  public static void main(String[] args) throws Exception {
    List<String> parts =
        args.length == 0
            ? List.of(
                "passes",
                "cost",
                "hosts",
                "machines",
                "discovery",
                "sources",
                "assessment",
                "pages")
            : List.of(args);
    for (String part : parts) {
      switch (part) {
        case "passes" -> passes();
        case "large" -> LargeBench.run();
        case "cost" -> CostBench.run();
        case "hosts" -> HostBench.run();
        case "machines" -> MachineBench.run();
        case "discovery" -> DiscoveryBench.run();
        case "sources" -> SourcesBench.run();
        case "assessment" -> AssessmentBench.run();
        case "pages" -> PagesBench.run();
        default -> {
          System.err.println(
              "'"
                  + part
                  + "' is not measured; passes, large, cost, hosts, machines, discovery, sources, assessment and pages are");
          System.exit(2);
        }
      }
    }
  }

  private static void passes() throws Exception {
    Path seed = Files.createTempFile("bench", ".yaml");
    Files.writeString(seed, SEED);
    System.out.println("Making a disk of 4 GiB with 2 GiB of data ...");
    try (Harness harness = Harness.create().database().estate(seed.toString()).cloud().service()) {
      run(harness);
    } finally {
      Files.delete(seed);
    }
  }

  private static void run(Harness harness) throws Exception {
    ApiClient api = harness.api();
    Journey journey = new Journey(api, line -> {});
    Platform estate = harness.estate();
    Platform cloud = harness.saltmarsh();
    journey.addSite("mill-street", estate);
    journey.addSite("saltmarsh", cloud);
    journey.scan("mill-street");
    journey.scan("saltmarsh");
    api.post(
        "/lanes",
        Map.of(
            "name",
            "lane",
            "from",
            "mill-street",
            "to",
            "saltmarsh",
            "networks",
            Map.of("net-staff", "sub-staff"),
            "storages",
            Map.of("shelf-a", "reed")));
    api.post(
        "/timetables",
        Map.of("name", "slow", "everySeconds", 5, "rpoSeconds", 600, "keepPoints", 6));
    api.post(
        "/waves",
        Map.of(
            "name",
            Journey.WAVE,
            "lane",
            "lane",
            "timetable",
            "slow",
            "machines",
            List.of(Map.of("machine", "archive", "rank", 1))));

    double read = plainRead(estate);
    double write = plainWrite(cloud, dataBytes(estate));
    JsonNode run = journey.work("/waves/lending/load", null);
    JsonNode pass = full(api);
    double full = rate(pass.path("sent").asLong(), shipSeconds(api, pass.path("run").asText()));
    double readAgain = plainRead(estate);
    double writeAgain = plainWrite(cloud, dataBytes(estate));

    print("data on the disk", mib(pass.path("sent").asLong()) + " of " + mib(DISK));
    print("plain read of the source export", rates(read, readAgain));
    print("plain write of the target export", rates(write, writeAgain));
    print("full pass (hashed, read back)", String.format(Locale.ROOT, "%.0f MiB/s", full));
    print("full pass / plain read", ratio(full, (read + readAgain) / 2));
    print("full pass / plain write", ratio(full, (write + writeAgain) / 2));
    delta(api, estate);
    print("service's peak of memory (VmHWM)", mib(peak(harness.process("service").pid())));
    print("load run", run.path("id").asText() + " " + run.path("state").asText());
  }

  private static JsonNode full(ApiClient api) {
    for (JsonNode p : api.get("/waves/lending/passes")) {
      if (p.path("kind").asText().equals("full")) {
        return p;
      }
    }
    throw new IllegalStateException("no full pass");
  }

  private static double shipSeconds(ApiClient api, String run) {
    for (JsonNode s : api.get("/runs/" + run).path("steps")) {
      if (s.path("name").asText().equals("ship")) {
        return Duration.between(
                    Instant.parse(s.path("startedAt").asText()),
                    Instant.parse(s.path("endedAt").asText()))
                .toMillis()
            / 1000.0;
      }
    }
    throw new IllegalStateException("no step ship");
  }

  private interface Part {
    void move(BlockDevice device, long offset, ByteBuffer buffer) throws IOException;
  }

  /** Moves ranges over several connections and gives the seconds it took. */
  private static double move(ExportRef export, List<Extent> ranges, Part part) throws Exception {
    List<Extent> chunks = new ArrayList<>();
    for (Extent e : ranges) {
      for (long at = e.offset(); at < e.offset() + e.length(); at += CHUNK) {
        chunks.add(new Extent(at, Math.min(CHUNK, e.offset() + e.length() - at), true));
      }
    }
    ExecutorService pool = Executors.newFixedThreadPool(CONNECTIONS);
    long begun = System.nanoTime();
    List<Future<?>> running = new ArrayList<>();
    for (int c = 0; c < CONNECTIONS; c++) {
      int first = c;
      running.add(
          pool.submit(
              () -> {
                ByteBuffer buffer = ByteBuffer.allocate(CHUNK);
                new Random(first).nextBytes(buffer.array());
                try (NbdClient device = NbdClient.connect(NbdAddress.parse(export.uri()))) {
                  for (int i = first; i < chunks.size(); i += CONNECTIONS) {
                    buffer.clear().limit((int) chunks.get(i).length());
                    part.move(device, chunks.get(i).offset(), buffer);
                  }
                }
                return null;
              }));
    }
    try {
      for (Future<?> f : running) {
        f.get();
      }
    } catch (ExecutionException e) {
      throw new IOException(e.getCause());
    } finally {
      pool.shutdownNow();
    }
    return (System.nanoTime() - begun) / 1e9;
  }

  private static List<Extent> allocated(ExportRef export) throws IOException {
    try (NbdClient device = NbdClient.connect(NbdAddress.parse(export.uri()))) {
      return device.status(Context.ALLOCATION, 0, device.size()).stream()
          .filter(Extent::set)
          .toList();
    }
  }

  private static long dataBytes(Platform estate) throws IOException {
    estate
        .driver()
        .source()
        .snapshot("bench", "bench", List.of("vm-201-photos"), Optional.empty(), false);
    List<Extent> extents =
        allocated(
            estate
                .driver()
                .source()
                .openSnapshot("bench", "bench", "vm-201-photos", Optional.empty()));
    release(estate);
    return extents.stream().mapToLong(Extent::length).sum();
  }

  private static void release(Platform estate) {
    estate.driver().source().closeExport("bench");
    estate.driver().source().dropSnapshot("bench");
    estate.driver().source().forgetMarker("bench");
  }

  private static double plainRead(Platform estate) throws Exception {
    estate
        .driver()
        .source()
        .snapshot("bench", "bench", List.of("vm-201-photos"), Optional.empty(), false);
    ExportRef export =
        estate.driver().source().openSnapshot("bench", "bench", "vm-201-photos", Optional.empty());
    List<Extent> extents = allocated(export);
    double seconds = move(export, extents, (device, offset, buffer) -> device.read(offset, buffer));
    release(estate);
    return rate(extents.stream().mapToLong(Extent::length).sum(), seconds);
  }

  private static double plainWrite(Platform cloud, long bytes) throws Exception {
    cloud.driver().target().createVolume("bench", "bench", DISK, "reed");
    ExportRef export = cloud.driver().target().openVolume("bench", "bench", true);
    double seconds =
        move(
            export,
            List.of(new Extent(0, bytes, true)),
            (device, offset, buffer) -> device.write(offset, buffer));
    cloud.driver().target().closeExport("bench");
    cloud.driver().target().deleteVolume("bench");
    return rate(bytes, seconds);
  }

  /** One per cent of the tracked blocks gets one changed byte each; the next delta is looked at. */
  private static void delta(ApiClient api, Platform estate) throws IOException {
    Journey journey = new Journey(api, line -> {});
    int blocks = (int) (DISK / TRACKED_BLOCK / 100);
    int before = journey.wave().path("lastPass").path("number").asInt();
    try (BlockDevice disk = estate.open("vm-201-photos", true)) {
      Random random = new Random(1);
      List<Integer> all = new ArrayList<>();
      for (int i = 1; i < DISK / TRACKED_BLOCK / 2; i++) {
        all.add(i);
      }
      java.util.Collections.shuffle(all, random);
      for (int i = 0; i < blocks; i++) {
        disk.write(
            (long) all.get(i) * TRACKED_BLOCK + 512,
            ByteBuffer.wrap(new byte[] {(byte) (1 + random.nextInt(255))}));
      }
    }
    estate.closeLook("vm-201-photos");
    long sent = 0;
    journey.await(
        "two passes after the change",
        w ->
            w.path("lastPass").path("number").asInt() >= before + 2
                && w.path("lastPass").path("state").asText().equals("complete"));
    for (JsonNode p : api.get("/waves/lending/passes")) {
      if (p.path("number").asInt() > before) {
        sent += p.path("sent").asLong();
      }
    }
    print(
        "delta with 1% of the blocks changed",
        mib(sent)
            + " sent for "
            + blocks
            + " blocks, "
            + ratio(sent, (double) blocks * TRACKED_BLOCK)
            + " times the blocks");
  }

  static long peak(long pid) throws IOException {
    for (String line : Files.readAllLines(Path.of("/proc/" + pid + "/status"))) {
      if (line.startsWith("VmHWM:")) {
        return Long.parseLong(line.replaceAll("[^0-9]", "")) * 1024;
      }
    }
    return 0;
  }

  private static double rate(long bytes, double seconds) {
    return bytes / 1048576.0 / seconds;
  }

  private static String rates(double first, double second) {
    return String.format(Locale.ROOT, "%.0f MiB/s before, %.0f after", first, second);
  }

  private static String ratio(double a, double b) {
    return String.format(Locale.ROOT, "%.2f", a / b);
  }

  static String mib(long bytes) {
    return String.format(Locale.ROOT, "%.0f MiB", bytes / 1048576.0);
  }

  private static void print(String what, String figure) {
    System.out.println(String.format(Locale.ROOT, "%-42s %s", what, figure));
  }
}
