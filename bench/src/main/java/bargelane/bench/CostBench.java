package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import bargelane.e2e.SmallEstate;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.sql.SQLException;
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

  private static final long WARM_SECONDS = 120;
  private static final long SECONDS = 120;

  /** Figures at a moment: processor time in seconds, by process; transactions; passes. */
  private record Seen(Map<String, Double> cpu, long transactions, int passes, long at) {}

  private CostBench() {}

  static void run() throws Exception {
    List<SmallEstate.Machine> machines =
        Stream.of("small-1", "small-2")
            .map(
                name ->
                    new SmallEstate.Machine(name, false, List.of(new SmallEstate.Disk(1024, 16))))
            .toList();
    Path seed = SmallEstate.seed(machines);
    try (Harness harness = Harness.create().database().estate(seed.toString()).cloud().service()) {
      measure(harness);
    } finally {
      Files.delete(seed);
    }
  }

  private static void measure(Harness harness) throws Exception {
    ApiClient api = harness.api();
    Journey journey = new Journey(api, line -> {});
    SmallEstate.join(harness, journey);
    api.post(
        "/timetables",
        Map.of("name", "often", "everySeconds", 5, "rpoSeconds", 60, "keepPoints", 6));
    SmallEstate.wave(api, Journey.WAVE, "often", List.of("small-1", "small-2"));
    journey.work("/waves/lending/load", null);
    Harness.pause(WARM_SECONDS * 1000);
    Seen begun = look(harness, journey);
    Harness.pause(SECONDS * 1000);
    Seen ended = look(harness, journey);
    journey.pause();
    Seen still = look(harness, journey);
    Harness.pause(60_000);
    Seen after = look(harness, journey);

    int passes = ended.passes() - begun.passes();
    double seconds = (ended.at() - begun.at()) / 1e9;
    double idle = (after.at() - still.at()) / 1e9;
    double sum = 0;
    for (String process : ended.cpu().keySet()) {
      double busy = ended.cpu().get(process) - begun.cpu().get(process);
      double rest = (after.cpu().get(process) - still.cpu().get(process)) / idle * seconds;
      sum += busy - rest;
      Bench.print(
          "processor time of " + process,
          String.format(
              Locale.ROOT,
              "%.3f s a pass, %.1f%% while paused",
              (busy - rest) / passes,
              rest / seconds * 100));
    }
    Bench.print("passes in " + Math.round(seconds) + " s", String.valueOf(passes));
    double hashing = hashing();
    Bench.print(
        "processor time a pass",
        String.format(
            Locale.ROOT,
            "%.3f s; SHA-256 of 100 MiB takes %.3f s: %.2f times as much",
            sum / passes,
            hashing,
            sum / passes / hashing));
    double resting = (after.transactions() - still.transactions()) / idle;
    Bench.print(
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
    return new Seen(
        ProcessTimes.of(harness),
        ProcessTimes.transactions(harness),
        journey.wave().path("lastPass").path("number").asInt(),
        System.nanoTime());
  }
}
