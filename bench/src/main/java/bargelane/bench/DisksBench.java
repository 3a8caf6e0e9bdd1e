package bargelane.bench;

import bargelane.api.Trust;
import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import bargelane.e2e.SmallEstate;
import bargelane.tug.HttpLeaseDesk;
import bargelane.tug.Tug;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.InputStream;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.CountDownLatch;
import java.util.stream.IntStream;

/**
 * Many disks of 1 TiB, of which each holds 64 MiB: 32 of them in one tow, by a service with its own
 * tug; and 16 tows of one such disk at once, by one tug in a process of its own, whose memory is
 * told.
 */
final class DisksBench {

  private static final int SIZE_MIB = 1 << 20;
  private static final int FILL_MIB = 64;
  private static final int IN_ONE_TOW = 32;
  private static final int AT_ONCE = 16;
  private static final int TUG_HEAP_MIB = 96;

  private DisksBench() {}

  /** A tug as a process: the service's address, its token, its fingerprint, passes at once. */
  public static void main(String[] args) throws InterruptedException {
    try (Tug tug =
        new Tug(
            "bench",
            new HttpLeaseDesk(URI.create(args[0]), args[1], Trust.pinned(args[2])),
            Integer.parseInt(args[3]),
            2)) {
      new CountDownLatch(1).await();
    }
  }

  static void run() throws Exception {
    SmallEstate.Disk disk = new SmallEstate.Disk(SIZE_MIB, FILL_MIB);
    one(List.of(new SmallEstate.Machine("library", false, Collections.nCopies(IN_ONE_TOW, disk))));
    many(
        IntStream.range(0, AT_ONCE)
            .mapToObj(i -> new SmallEstate.Machine("store-" + i, false, List.of(disk)))
            .toList());
  }

  private interface Work {
    void with(Harness harness, Journey journey) throws Exception;
  }

  private static void at(List<SmallEstate.Machine> machines, List<String> service, Work work)
      throws Exception {
    Path estate = SmallEstate.seed(machines);
    Path cloud = Files.createTempFile("cloud", ".yaml");
    try (InputStream demo = DisksBench.class.getResourceAsStream("/demo/cloud.yaml")) {
      String seed = new String(demo.readAllBytes(), StandardCharsets.UTF_8);
      Files.writeString(cloud, seed.replaceFirst("volumeGib: \\d+", "volumeGib: 100000"));
    }
    try (Harness harness =
        Harness.create()
            .database()
            .estate(estate.toString())
            .cloud(cloud.toString())
            .service(service)) {
      Journey journey = new Journey(harness.api(), line -> {});
      SmallEstate.join(harness, journey);
      harness
          .api()
          .post(
              "/timetables",
              Map.of("name", "rarely", "everySeconds", 3600, "rpoSeconds", 7200, "keepPoints", 6));
      work.with(harness, journey);
    } finally {
      Files.delete(estate);
      Files.delete(cloud);
    }
  }

  private static void one(List<SmallEstate.Machine> machines) throws Exception {
    at(
        machines,
        List.of(),
        (harness, journey) -> {
          ApiClient api = harness.api();
          SmallEstate.wave(api, Journey.WAVE, "rarely", List.of(machines.get(0).name()));
          long begun = System.nanoTime();
          journey.work("load");
          told(api, IN_ONE_TOW + " disks of 1 TiB in one tow, full pass", begun);
          begun = System.nanoTime();
          api.post("/waves/" + Journey.WAVE + "/passes", null);
          journey.await("the second pass", w -> w.path("lastPass").path("number").asInt() == 2);
          journey.await("its end", w -> !w.path("lastPass").path("endedAt").isNull());
          told(api, "the same, nothing changed", begun);
          Bench.print(
              "peak of the service's memory, tug included",
              Bench.mib(Bench.peak(harness.process("service").pid())));
        });
  }

  private static void told(ApiClient api, String what, long begun) {
    JsonNode pass = api.get("/waves/" + Journey.WAVE + "/passes").path(0);
    if (!pass.path("state").asText().equals("complete")) {
      throw new IllegalStateException("the pass is " + pass);
    }
    Bench.print(
        what,
        String.format(
            Locale.ROOT,
            "%.1f s, %s sent",
            (System.nanoTime() - begun) / 1e9,
            Bench.mib(pass.path("sent").asLong())));
  }

  private static void many(List<SmallEstate.Machine> machines) throws Exception {
    at(
        machines,
        List.of("--no-tug"),
        (harness, journey) -> {
          ApiClient api = harness.api();
          List<String> runs = new ArrayList<>();
          for (SmallEstate.Machine m : machines) {
            SmallEstate.wave(api, m.name(), "rarely", List.of(m.name()));
          }
          Process tug = tug(harness);
          try {
            long begun = System.nanoTime();
            for (SmallEstate.Machine m : machines) {
              runs.add(api.post("/waves/" + m.name() + "/load", null).path("id").asText());
            }
            int most = 0;
            while (!runs.isEmpty()) {
              runs.removeIf(run -> over(api.get("/runs/" + run)));
              most = Math.max(most, leased(api, machines));
              Harness.pause(200);
            }
            Bench.print(
                AT_ONCE + " disks of 1 TiB by one tug, full passes",
                String.format(
                    Locale.ROOT,
                    "%.1f s, at most %d at once",
                    (System.nanoTime() - begun) / 1e9,
                    most));
            Bench.print("peak of the tug's memory", Bench.mib(Bench.peak(tug.pid())));
          } finally {
            tug.destroy();
          }
        });
  }

  private static boolean over(JsonNode run) {
    if (run.path("state").asText().equals("failed")) {
      throw new IllegalStateException("a load failed: " + run.path("problem"));
    }
    return !run.path("endedAt").isNull();
  }

  private static int leased(ApiClient api, List<SmallEstate.Machine> machines) {
    return (int)
        machines.stream()
            .filter(
                m ->
                    api.get("/waves/" + m.name() + "/passes?size=1")
                        .path(0)
                        .path("state")
                        .asText()
                        .equals("leased"))
            .count();
  }

  private static Process tug(Harness harness) throws IOException {
    return new ProcessBuilder(
            ProcessHandle.current().info().command().orElse("java"),
            "-Xmx" + TUG_HEAP_MIB + "m",
            "-XX:+UseSerialGC",
            "-cp",
            System.getProperty("java.class.path"),
            DisksBench.class.getName(),
            harness.serviceAddress(),
            harness.token(),
            harness.fingerprint(),
            String.valueOf(AT_ONCE))
        .inheritIO()
        .start();
  }
}
