package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.postgresql.PGConnection;

/**
 * 10,000 machines with 30 days of five-minute use, assessed on both bases by the service over HTTP,
 * revised and compared, and a grid of 100 choices; beside it PostgreSQL handing the same digests to
 * a client that does nothing with them.
 */
final class AssessmentBench {

  private static final int MACHINES = 10_000;
  private static final int DAYS = 31;
  private static final int ROUNDS = 3;
  private static final int CALLS = 200;
  private static final Duration PATIENCE = Duration.ofMinutes(30);

  private AssessmentBench() {}

  static void run() throws IOException, SQLException {
    try (Harness harness = Harness.create().database().estate(MACHINES).service();
        Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement sql = db.createStatement()) {
      ApiClient api = harness.api();
      api.post(
          "/sites",
          Map.of(
              "name",
              "mill-street",
              "kind",
              "standin",
              "address",
              harness.estate().address(),
              "token",
              harness.estate().token()));
      sql.execute("update site set usage_until = now() - interval '" + DAYS + " days'");
      JsonNode scan = new Journey(api, line -> {}).work("/sites/mill-street/scan", null);
      JsonNode usage = scan.path("steps").path(1);
      long samples = Long.parseLong(usage.path("detail").asText().replaceAll("\\D", ""));
      double took =
          Duration.between(
                      Instant.parse(usage.path("startedAt").asText()),
                      Instant.parse(usage.path("endedAt").asText()))
                  .toMillis()
              / 1e3;
      System.out.printf(
          Locale.ROOT,
          "use: %,d samples of 8 values with their digests in %.1f s, %,.0f a second%n",
          samples,
          took,
          samples / took);
      sql.execute("vacuum analyze");
      long digests = number(sql, "select count(*) from usage_digest");
      System.out.printf(
          Locale.ROOT,
          "digests: %,d machine-days of %,d bytes each in the table, %.2f GiB; the days themselves %.2f GiB%n",
          digests,
          number(sql, "select pg_total_relation_size('usage_digest')") / digests,
          number(sql, "select pg_total_relation_size('usage_digest')") / (double) (1L << 30),
          number(sql, "select pg_total_relation_size('usage_day')") / (double) (1L << 30));
      new Journey(api, line -> {}).books();
      double bare = bare(db);
      System.out.printf(Locale.ROOT, "PostgreSQL alone, all digests to one client: %.1f s%n", bare);
      double[] seconds = new double[ROUNDS];
      for (int i = 0; i < ROUNDS; i++) {
        seconds[i] = assess(api, i);
      }
      Arrays.sort(seconds);
      System.out.printf(
          Locale.ROOT,
          "assessed on both bases and stored: median %.1f s of %d (%.1f to %.1f), over PostgreSQL alone %.1f%n",
          seconds[ROUNDS / 2],
          ROUNDS,
          seconds[0],
          seconds[ROUNDS - 1],
          seconds[ROUNDS / 2] / bare);
      grid(api);
      calls(api);
      System.out.printf(
          Locale.ROOT,
          "a revision takes %.0f MiB%n",
          number(sql, "select pg_total_relation_size('assessed_machine')")
              / (double) (1 << 20)
              / ROUNDS);
      System.out.printf(
          Locale.ROOT,
          "service's peak of memory (VmHWM): %s%n",
          Bench.mib(Bench.peak(harness.process("service").pid())));
    }
  }

  private static double assess(ApiClient api, int round) {
    long from = System.nanoTime();
    JsonNode made =
        round == 0
            ? api.post(
                "/assessments",
                Map.of("name", "all", "filter", "site = mill-street", "book", "fenwater-2026"),
                PATIENCE)
            : api.post(
                "/assessments/all/revisions",
                Map.of("assumptions", Map.of("percentile", 95 + round)),
                PATIENCE);
    if (made.path("count").asInt() != MACHINES) {
      throw new IllegalStateException(made.path("count") + " machines were assessed");
    }
    return (System.nanoTime() - from) / 1e9;
  }

  private static void grid(ApiClient api) {
    long from = System.nanoTime();
    JsonNode grid =
        api.post(
            "/assessments/all/what-if",
            Map.of(
                "percentiles", List.of(50, 90, 95, 99, 100),
                "headrooms", List.of(0, 10, 20, 30, 50),
                "commitments", List.of("none", "1 year"),
                "hoursAWeek", List.of(168, 60)),
            PATIENCE);
    System.out.printf(
        Locale.ROOT,
        "a grid of %d choices over %,d machines: %.1f s%n",
        grid.path("points").size(),
        grid.path("machines").asInt(),
        (System.nanoTime() - from) / 1e9);
  }

  private static void calls(ApiClient api) {
    time(
        "a page of 50 machines by what they save",
        CALLS,
        () -> api.get("/assessments/all/machines?size=50&sort=-saving"));
    time(
        "a page of those with one reason",
        CALLS,
        () -> api.get("/assessments/all/machines?size=50&reason=boot-legacy"));
    String id =
        api.get("/assessments/all/machines?size=1")
            .path("items")
            .path(0)
            .path("machineId")
            .asText();
    time(
        "one machine with its derivations",
        CALLS,
        () -> api.get("/assessments/all/machines/" + id));
    time("the sums of a revision", CALLS, () -> api.get("/assessments/all"));
    time(
        "two revisions compared, 100 machines told",
        20,
        () -> api.get("/assessments/all/comparison?from=1&to=3"));
    int[] length = new int[1];
    time("the report", 5, () -> length[0] = api.text("/assessments/all/report").length());
    System.out.printf(Locale.ROOT, "the report has %.1f MiB%n", length[0] / (double) (1 << 20));
    time(
        "every line of cost in the columns of FOCUS",
        5,
        () -> length[0] = api.text("/assessments/all/costs?form=focus").length());
    System.out.printf(Locale.ROOT, "those lines have %.1f MiB%n", length[0] / (double) (1 << 20));
  }

  private static void time(String what, int calls, Runnable call) {
    double[] millis = new double[calls];
    for (int i = -Math.min(20, calls); i < calls; i++) {
      long from = System.nanoTime();
      call.run();
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    System.out.printf(
        Locale.ROOT,
        "%s: median %.1f ms, p99 %.1f ms%n",
        what,
        millis[calls / 2],
        millis[Math.min(calls - 1, calls * 99 / 100)]);
  }

  private static long number(Statement sql, String query) throws SQLException {
    try (ResultSet r = sql.executeQuery(query)) {
      r.next();
      return r.getLong(1);
    }
  }

  /** Seconds that the database takes to hand all digests to a client that drops them. */
  private static double bare(Connection db) throws SQLException, IOException {
    long from = System.nanoTime();
    db.unwrap(PGConnection.class)
        .getCopyAPI()
        .copyOut(
            "copy (select machine_id, day, packed from usage_digest) to stdout (format binary)",
            OutputStream.nullOutputStream());
    return (System.nanoTime() - from) / 1e9;
  }
}
