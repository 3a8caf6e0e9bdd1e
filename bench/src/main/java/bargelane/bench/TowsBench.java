package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import bargelane.e2e.SmallEstate;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.IntStream;

/**
 * Many tows of one small machine each under one timetable, on one service with the tug in it,
 * beside a simulated estate of twice as many machines: how far exposure goes. A fifth of the tows'
 * guests write ten times a second.
 */
final class TowsBench {

  private static final int EVERY_SECONDS = 240;
  private static final int RPO_SECONDS = 300;

  /** A point of a tow: what it holds, and when it was there. */
  private record Recorded(Instant asOf, Instant at) {}

  private TowsBench() {}

  static void run(int tows, int seconds) throws Exception {
    List<SmallEstate.Machine> machines =
        IntStream.range(0, 2 * tows)
            .mapToObj(
                i ->
                    new SmallEstate.Machine(
                        name(i), i < tows && i % 5 == 0, List.of(new SmallEstate.Disk(64, 2))))
            .toList();
    Path seed = SmallEstate.seed(machines);
    try (Harness harness = Harness.create().database().estate(seed.toString()).cloud().service()) {
      measure(harness, tows, seconds);
    } finally {
      Files.delete(seed);
    }
  }

  private static String name(int i) {
    return "small-%04d".formatted(i);
  }

  private static void measure(Harness harness, int tows, int seconds) throws Exception {
    ApiClient api = harness.api();
    Journey journey = new Journey(api, line -> {});
    SmallEstate.join(harness, journey);
    api.post(
        "/timetables",
        Map.of(
            "name",
            "often",
            "everySeconds",
            EVERY_SECONDS,
            "rpoSeconds",
            RPO_SECONDS,
            "keepPoints",
            6));
    long begun = System.nanoTime();
    for (int i = 0; i < tows; i++) {
      SmallEstate.wave(api, "wave-" + i, "often", List.of(name(i)));
      api.post("/waves/wave-" + i + "/load", null);
    }
    try (Connection db = ProcessTimes.connect(harness);
        Statement sql = db.createStatement()) {
      while (count(sql, "select count(distinct tow_id) from point") < tows) {
        if (System.nanoTime() - begun > 1_800_000_000_000L) {
          throw new IllegalStateException("the waves are not loaded after half an hour");
        }
        Harness.pause(1000);
      }
      Bench.print(
          "tows loaded", tows + " in " + (System.nanoTime() - begun) / 1_000_000_000L + " s");
      // Until the loads are no longer what the passes' rhythm comes from.
      Harness.pause(EVERY_SECONDS * 1000L);
      Instant from = Instant.now();
      Map<String, Double> cpu = ProcessTimes.of(harness);
      long transactions = ProcessTimes.transactions(harness);
      Harness.pause(seconds * 1000L);
      Instant to = Instant.now();
      Map<String, Double> after = ProcessTimes.of(harness);
      long more = ProcessTimes.transactions(harness) - transactions;
      tell(sql, from, to, tows, cpu, after, more);
    }
    Bench.print(
        "peak of the service's memory", Bench.mib(Bench.peak(harness.process("service").pid())));
  }

  private static long count(Statement sql, String query) throws SQLException {
    try (ResultSet r = sql.executeQuery(query)) {
      r.next();
      return r.getLong(1);
    }
  }

  private static void tell(
      Statement sql,
      Instant from,
      Instant to,
      int tows,
      Map<String, Double> before,
      Map<String, Double> after,
      long transactions)
      throws SQLException {
    long[] exposure = exposure(points(sql), from, to, tows);
    Arrays.sort(exposure);
    long held = Arrays.stream(exposure).filter(e -> e <= RPO_SECONDS * 1000L).count();
    double passes =
        count(
            sql,
            "select count(*) from pass where state = 'complete' and ended_at between '%s' and '%s'"
                .formatted(from, to));
    long failed =
        count(
            sql,
            "select count(*) from pass where state = 'failed' and ended_at between '%s' and '%s'"
                .formatted(from, to));
    double wall = (to.toEpochMilli() - from.toEpochMilli()) / 1000.0;
    Bench.print(
        "exposure of " + tows + " tows, RPO " + RPO_SECONDS + " s",
        String.format(
            Locale.ROOT,
            "median %.0f s, p99 %.0f s, most %.0f s; within the RPO %.3f%% of the time",
            exposure[exposure.length / 2] / 1e3,
            exposure[(int) (exposure.length * 0.99)] / 1e3,
            exposure[exposure.length - 1] / 1e3,
            held * 100.0 / exposure.length));
    Bench.print(
        "passes in " + Math.round(wall) + " s",
        String.format(
            Locale.ROOT, "%.0f complete, %d failed, %.2f a second", passes, failed, passes / wall));
    double sum = 0;
    for (String process : before.keySet()) {
      double took = after.get(process) - before.get(process);
      sum += took;
      Bench.print(
          "processor time of " + process,
          String.format(
              Locale.ROOT,
              "%.3f s a pass, %.0f%% of a processor",
              took / passes,
              took / wall * 100));
    }
    Bench.print("processor time a pass", String.format(Locale.ROOT, "%.3f s", sum / passes));
    Bench.print(
        "transactions a pass, all others included",
        String.format(Locale.ROOT, "%.0f", transactions / passes));
  }

  private static Map<String, List<Recorded>> points(Statement sql) throws SQLException {
    Map<String, List<Recorded>> found = new TreeMap<>();
    try (ResultSet r =
        sql.executeQuery(
            "select tow_id, as_of, ended_at from pass where state = 'complete' order by ended_at")) {
      while (r.next()) {
        found
            .computeIfAbsent(r.getString(1), k -> new ArrayList<>())
            .add(new Recorded(r.getTimestamp(2).toInstant(), r.getTimestamp(3).toInstant()));
      }
    }
    return found;
  }

  /** Milliseconds of exposure of every tow at every second. */
  private static long[] exposure(
      Map<String, List<Recorded>> points, Instant from, Instant to, int tows) {
    long first = from.toEpochMilli();
    int looks = (int) ((to.toEpochMilli() - first) / 1000);
    long[] all = new long[tows * looks];
    int at = 0;
    for (List<Recorded> of : points.values()) {
      int next = 0;
      for (int second = 0; second < looks; second++) {
        long now = first + second * 1000L;
        while (next < of.size() && of.get(next).at.toEpochMilli() <= now) {
          next++;
        }
        all[at++] = now - of.get(next - 1).asOf.toEpochMilli();
      }
    }
    return all;
  }
}
