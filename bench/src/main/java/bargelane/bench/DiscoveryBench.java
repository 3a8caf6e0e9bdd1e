package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import org.postgresql.PGConnection;
import org.postgresql.copy.PGCopyOutputStream;

/**
 * An estate of 10,000 machines with 40,000 disks, scanned by the service over HTTP: the inventory,
 * a scan that finds nothing different, two days of five-minute samples, 200,000 kinds of
 * connections, and then one machine's percentile over 30 days. Beside it the same packed bytes
 * through PostgreSQL's COPY by a client that does nothing else.
 */
final class DiscoveryBench {

  private static final int MACHINES = 10_000;
  private static final int DAYS = 2;
  private static final int CALLS = 400;
  private static final int PACKED = 9216;

  private DiscoveryBench() {}

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
      // Only the newest days are read: the rate is what is asked for.
      sql.execute("update site set usage_until = now() - interval '" + DAYS + " days'");
      JsonNode first = scan(api);
      double copy = copy(db, count(sql, "select count(*) from usage_day"));
      tell("inventory of 10,000 machines and 40,000 disks, to stored", step(first, 0));
      double usage = step(first, 1).toMillis() / 1e3;
      long samples =
          Long.parseLong(first.path("steps").path(1).path("detail").asText().replaceAll("\\D", ""));
      long rows = count(sql, "select count(*) from usage_day");
      sql.execute("checkpoint");
      long bytes = count(sql, "select pg_total_relation_size('usage_day')");
      System.out.printf(
          Locale.ROOT,
          "use: %,d samples of 8 values in %.1f s, %,.0f samples a second, over bare COPY of the same bytes %.1f%n",
          samples,
          usage,
          samples / usage,
          usage / copy);
      System.out.printf(
          Locale.ROOT,
          "use: %,d machine-days take %,d bytes each; 30 days of 10,000 machines %.2f GiB%n",
          rows,
          bytes / rows,
          bytes / (double) rows * 30 * MACHINES / (1L << 30));
      tell(
          String.format(
              Locale.ROOT,
              "%,d kinds of connections, to stored",
              count(sql, "select count(*) from connection")),
          step(first, 2));
      long before = written(sql);
      JsonNode second = scan(api);
      tell("the same inventory again", step(second, 0));
      System.out.println(
          "the same inventory again wrote "
              + (written(sql) - before)
              + " rows of machines and changes");
      sql.execute(
          "insert into usage_day select machine_id, day - "
              + (DAYS + 1)
              + " * k, packed from usage_day, generate_series(1, 11) k where machine_id in"
              + " (select id from machine order by id limit 500) on conflict do nothing");
      percentile(api, sql);
    }
  }

  private static JsonNode scan(ApiClient api) {
    return new Journey(api, line -> {}).work("/sites/mill-street/scan", null);
  }

  private static Duration step(JsonNode run, int number) {
    JsonNode step = run.path("steps").path(number);
    return Duration.between(
        Instant.parse(step.path("startedAt").asText()),
        Instant.parse(step.path("endedAt").asText()));
  }

  private static void tell(String what, Duration took) {
    System.out.printf(Locale.ROOT, "%s: %.1f s%n", what, took.toMillis() / 1e3);
  }

  private static long count(Statement sql, String query) throws SQLException {
    try (ResultSet r = sql.executeQuery(query)) {
      r.next();
      return r.getLong(1);
    }
  }

  /** Rows written so far; the server tells them a moment after the transaction. */
  private static long written(Statement sql) throws SQLException {
    sql.execute("select pg_stat_clear_snapshot(), pg_sleep(1.5)");
    return count(
        sql,
        "select sum(n_tup_ins + n_tup_upd + n_tup_del)::bigint from pg_stat_user_tables"
            + " where relname in ('machine', 'machine_address', 'machine_change')");
  }

  /** Seconds that as many packed days take by COPY alone, committed as the service does. */
  private static double copy(Connection db, long rows) throws SQLException, IOException {
    try (Statement s = db.createStatement()) {
      s.execute(
          "create table bare (machine_id text, day date, packed bytea, primary key (machine_id, day))");
      s.execute("alter table bare alter column packed set storage external");
      byte[] packed = new byte[PACKED];
      new Random(1).nextBytes(packed);
      long from = System.nanoTime();
      for (long done = 0; done < rows; done += 500) {
        try (OutputStream out =
            new PGCopyOutputStream(
                db.unwrap(PGConnection.class), "copy bare from stdin (format binary)", 1 << 16)) {
          out.write("PGCOPY\n\377\r\n\0".getBytes(StandardCharsets.ISO_8859_1));
          out.write(new byte[8]);
          for (long i = done; i < Math.min(rows, done + 500); i++) {
            byte[] id = ("m-" + i).getBytes(StandardCharsets.US_ASCII);
            out.write(
                ByteBuffer.allocate(2 + 4 + id.length + 8 + 4)
                    .putShort((short) 3)
                    .putInt(id.length)
                    .put(id)
                    .putInt(4)
                    .putInt(9000)
                    .putInt(PACKED)
                    .array());
            out.write(packed);
          }
          out.write(new byte[] {-1, -1});
        }
      }
      double seconds = (System.nanoTime() - from) / 1e9;
      s.execute("drop table bare");
      return seconds;
    }
  }

  private static void percentile(ApiClient api, Statement sql) throws SQLException {
    String[] ids = new String[500];
    try (ResultSet r = sql.executeQuery("select id from machine order by id limit 500")) {
      for (int i = 0; r.next(); i++) {
        ids[i] = r.getString(1);
      }
    }
    double[] millis = new double[CALLS];
    int held = 0;
    for (int i = -50; i < CALLS; i++) {
      long from = System.nanoTime();
      held =
          api.get("/machines/" + ids[(i + 50) % ids.length] + "/usage?percentile=95")
              .path("held")
              .asInt();
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    System.out.printf(
        Locale.ROOT,
        "one machine's eight percentiles over 30 days (%,d samples held): median %.1f ms, p99 %.1f ms%n",
        held,
        millis[CALLS / 2],
        millis[CALLS * 99 / 100]);
  }
}
