package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Stream;

/**
 * What a pass costs that has nothing to move: two small machines at the simulated estate, a pass
 * every five seconds, nobody who looks. Processor time is that of service, both platforms and the
 * database's server with all its processes, less what the same processes take while the wave is
 * paused.
 */
final class CostBench {

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
      """
          + machine(1)
          + machine(2);

  private static String machine(int n) {
    return "  - {id: vm-"
        + n
        + ", name: small-"
        + n
        + ", cpus: 1, memoryMib: 1024, os: Debian GNU/Linux 12, firmware: bios, on: false,\n"
        + "     disks: [{name: disk, sizeMib: 1024, fillMib: 16, storage: shelf-a}],\n"
        + "     nics: [{network: net-staff, address: 10.20.1.4"
        + n
        + ", mac: \"52:54:00:14:01:4"
        + n
        + "\"}]}\n";
  }

  private static final long WARM_SECONDS = 60;
  private static final long SECONDS = 60;

  /** Figures at a moment: processor time in seconds, by process; transactions; passes. */
  private record Seen(Map<String, Double> cpu, long transactions, int passes, long at) {}

  private CostBench() {}

  static void run() throws Exception {
    Path seed = Files.createTempFile("bench", ".yaml");
    Files.writeString(seed, SEED);
    try (Harness harness = Harness.create().database().estate(seed.toString()).cloud().service()) {
      measure(harness);
    } finally {
      Files.delete(seed);
    }
  }

  private static void measure(Harness harness) throws Exception {
    ApiClient api = harness.api();
    Journey journey = new Journey(api, line -> {});
    journey.addSite("mill-street", harness.estate());
    journey.addSite("saltmarsh", harness.saltmarsh());
    journey.scan("mill-street");
    journey.scan("saltmarsh");
    api.post(
        "/lanes",
        Map.of(
            "name", "lane",
            "from", "mill-street",
            "to", "saltmarsh",
            "networks", Map.of("net-staff", "sub-staff"),
            "storages", Map.of("shelf-a", "reed")));
    api.post(
        "/timetables",
        Map.of("name", "often", "everySeconds", 5, "rpoSeconds", 60, "keepPoints", 6));
    api.post(
        "/waves",
        Map.of(
            "name",
            Journey.WAVE,
            "lane",
            "lane",
            "timetable",
            "often",
            "machines",
            List.of(
                Map.of("machine", "small-1", "rank", 1), Map.of("machine", "small-2", "rank", 1))));
    journey.work("/waves/lending/load", null);
    Harness.pause(WARM_SECONDS * 1000);
    Seen begun = look(harness, journey);
    Harness.pause(SECONDS * 1000);
    Seen ended = look(harness, journey);
    api.post("/waves/lending/pause", null);
    Harness.pause(5_000);
    Seen still = look(harness, journey);
    Harness.pause(20_000);
    Seen after = look(harness, journey);

    int passes = ended.passes() - begun.passes();
    double seconds = (ended.at() - begun.at()) / 1e9;
    double idle = (after.at() - still.at()) / 1e9;
    double sum = 0;
    for (String process : ended.cpu().keySet()) {
      double busy = ended.cpu().get(process) - begun.cpu().get(process);
      double rest = (after.cpu().get(process) - still.cpu().get(process)) / idle * seconds;
      sum += busy - rest;
      print(
          "processor time of " + process,
          String.format(
              Locale.ROOT,
              "%.3f s a pass, %.1f%% while paused",
              (busy - rest) / passes,
              rest / seconds * 100));
    }
    print("passes in " + Math.round(seconds) + " s", String.valueOf(passes));
    double hashing = hashing();
    print(
        "processor time a pass",
        String.format(
            Locale.ROOT,
            "%.3f s; SHA-256 of 100 MiB takes %.3f s: %.2f times as much",
            sum / passes,
            hashing,
            sum / passes / hashing));
    double resting = (after.transactions() - still.transactions()) / idle;
    print(
        "transactions a pass",
        String.format(
            Locale.ROOT,
            "%.0f, and %.1f a second while paused",
            (ended.transactions() - begun.transactions() - resting * seconds) / passes,
            resting));
  }

  /** Seconds for SHA-256 of 100 MiB, to tell how fast this machine is now; the best of three. */
  private static double hashing() throws NoSuchAlgorithmException {
    MessageDigest sha = MessageDigest.getInstance("SHA-256");
    byte[] block = new byte[1 << 20];
    double best = Double.MAX_VALUE;
    for (int round = 0; round < 4; round++) {
      long begun = System.nanoTime();
      for (int i = 0; i < 100; i++) {
        sha.update(block);
      }
      best = round == 0 ? best : Math.min(best, (System.nanoTime() - begun) / 1e9);
    }
    return best;
  }

  private static Seen look(Harness harness, Journey journey) throws IOException, SQLException {
    Map<String, Double> cpu = new java.util.LinkedHashMap<>();
    for (String name : List.of("service", "estate", "cloud")) {
      cpu.put(name, seconds(harness.process(name).pid(), false));
    }
    long postmaster =
        Long.parseLong(Files.readAllLines(find(harness.home().resolve("database"))).get(0).strip());
    double database = seconds(postmaster, true);
    for (long child : children(postmaster)) {
      database += seconds(child, false);
    }
    cpu.put("database", database);
    return new Seen(
        cpu,
        transactions(harness),
        journey.wave().path("lastPass").path("number").asInt(),
        System.nanoTime());
  }

  private static Path find(Path dir) throws IOException {
    try (Stream<Path> all = Files.walk(dir, 2)) {
      return all.filter(p -> p.getFileName().toString().equals("postmaster.pid"))
          .findFirst()
          .orElseThrow();
    }
  }

  private static List<Long> children(long parent) throws IOException {
    List<Long> found = new ArrayList<>();
    try (Stream<Path> all = Files.list(Path.of("/proc"))) {
      for (Path p : all.filter(x -> x.getFileName().toString().matches("\\d+")).toList()) {
        try {
          if (Long.parseLong(stat(p)[1]) == parent) {
            found.add(Long.parseLong(p.getFileName().toString()));
          }
        } catch (IOException e) {
          // It has ended meanwhile.
        }
      }
    }
    return found;
  }

  /** Fields of {@code /proc/PID/stat} from the third on (proc(5)). */
  private static String[] stat(Path process) throws IOException {
    String line = Files.readString(process.resolve("stat"));
    return line.substring(line.lastIndexOf(')') + 2).split(" ");
  }

  private static double seconds(long pid, boolean withEndedChildren) throws IOException {
    String[] stat = stat(Path.of("/proc/" + pid));
    long ticks = Long.parseLong(stat[11]) + Long.parseLong(stat[12]);
    if (withEndedChildren) {
      ticks += Long.parseLong(stat[13]) + Long.parseLong(stat[14]);
    }
    // USER_HZ is 100 on Linux.
    return ticks / 100.0;
  }

  private static long transactions(Harness harness) throws SQLException, IOException {
    String password = Files.readString(harness.home().resolve("database/password")).strip();
    try (Connection c = DriverManager.getConnection(harness.databaseUrl(), "bargelane", password);
        Statement s = c.createStatement();
        ResultSet r =
            s.executeQuery(
                "select xact_commit + xact_rollback from pg_stat_database where datname = current_database()")) {
      r.next();
      return r.getLong(1);
    }
  }

  private static void print(String what, String figure) {
    System.out.println(String.format(Locale.ROOT, "%-42s %s", what, figure));
  }
}
