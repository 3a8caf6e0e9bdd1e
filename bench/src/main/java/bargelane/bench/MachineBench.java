package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import java.io.IOException;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Arrays;
import java.util.Locale;
import java.util.Random;

/**
 * Lists of an inventory of 10,000 machines with 40,000 disks, asked for by one client over HTTP,
 * beside the database alone giving the same page's facts and the same count to a JDBC client.
 */
final class MachineBench {

  private static final int MACHINES = 10_000;
  private static final int CALLS = 400;

  private MachineBench() {}

  static void run() throws IOException, SQLException {
    try (Harness harness = Harness.create().database().service();
        Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip())) {
      fill(db);
      ApiClient api = harness.api();
      double[] plain = plain(db);
      list(api, "first page by name", "", "name", 0, plain);
      list(api, "page 150 by size of disks", "", "-disk", 150, plain);
      list(api, "by label and memory", "label.app = app-7 and memory > 8 GiB", "name", 0, plain);
      list(api, "by part of the name", "name has 77 and not vanished", "name", 0, plain);
      list(api, "by block of addresses", "address = 10.7.0.0/16", "name", 0, plain);

      list(api, "in no wave, at a site", "wave = '' and site = mill-street", "name", 0, plain);
    }
  }

  private static void fill(Connection db) throws SQLException {
    Random random = new Random(10_000);
    db.setAutoCommit(false);
    try (Statement s = db.createStatement()) {
      s.execute(
          "insert into site (id, name, kind, address, created_at, findings)"
              + " values ('s', 'mill-street', 'standin', 'http://127.0.0.1:1', now(), '[]')");
    }
    try (PreparedStatement p =
        db.prepareStatement(
            "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen)"
                + " values (?, 's', ?, ?, ?::jsonb, now(), now())")) {
      for (int i = 0; i < MACHINES; i++) {
        p.setString(1, "m-" + i);
        p.setString(2, "vm-" + i);
        p.setString(3, "machine-" + i);
        p.setString(4, facts(i, random));
        p.addBatch();
        if (i % 1000 == 999) {
          p.executeBatch();
        }
      }
    }
    db.commit();
    db.setAutoCommit(true);
    try (Statement s = db.createStatement()) {
      s.execute("analyze machine");
    }
  }

  private static String facts(int i, Random random) {
    StringBuilder disks = new StringBuilder();
    for (int d = 0; d < 4; d++) {
      disks
          .append(d == 0 ? "" : ",")
          .append("{\"volume\":\"vm-" + i + "-" + d + "\",\"storage\":\"shelf-a\",\"bytes\":")
          .append((1L + random.nextInt(400)) << 30)
          .append('}');
    }
    return String.format(
        Locale.ROOT,
        "{\"platformId\":\"vm-%d\",\"name\":\"machine-%d\",\"cpus\":%d,\"memoryMib\":%d,"
            + "\"os\":\"Debian GNU/Linux 12\",\"firmware\":\"bios\",\"on\":true,\"fenced\":false,"
            + "\"disks\":[%s],\"nics\":[{\"network\":\"net-staff\",\"address\":\"10.%d.%d.%d\","
            + "\"mac\":\"52:54:00:00:00:01\"}],\"ingress\":[],\"labels\":{\"app\":\"app-%d\"},"
            + "\"owner\":\"\"}",
        i,
        i,
        1 << random.nextInt(6),
        1024L << random.nextInt(7),
        disks,
        i / 1000,
        i / 250 % 250,
        1 + i % 250,
        i % 100);
  }

  /** The database alone: a page of facts in the order of names, and the count. */
  private static double[] plain(Connection db) throws SQLException {
    double[] millis = new double[CALLS];
    try (PreparedStatement page =
            db.prepareStatement("select id, facts from machine order by name, id limit 50");
        PreparedStatement count = db.prepareStatement("select count(*) from machine")) {
      for (int i = -50; i < CALLS; i++) {
        long from = System.nanoTime();
        int rows = 0;
        for (PreparedStatement p : new PreparedStatement[] {page, count}) {
          try (ResultSet r = p.executeQuery()) {
            while (r.next()) {
              rows += r.getString(1).isEmpty() ? 0 : 1;
            }
          }
        }
        if (rows != 51) {
          throw new IllegalStateException(rows + " rows");
        }
        if (i >= 0) {
          millis[i] = (System.nanoTime() - from) / 1e6;
        }
      }
    }
    say("10,000 machines: PostgreSQL alone, first page and count", millis, null, -1);
    return millis;
  }

  private static void list(
      ApiClient api, String what, String filter, String sort, int page, double[] plain) {
    String path =
        "/machines?size=50&sort="
            + sort
            + "&page="
            + page
            + "&filter="
            + URLEncoder.encode(filter, StandardCharsets.UTF_8);
    double[] millis = new double[CALLS];
    long total = 0;
    for (int i = -50; i < CALLS; i++) {
      long from = System.nanoTime();
      total = api.get(path).path("total").asLong();
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    say("10,000 machines: " + what, millis, plain, total);
  }

  private static void say(String what, double[] millis, double[] plain, long total) {
    double[] sorted = millis.clone();
    Arrays.sort(sorted);
    double median = sorted[sorted.length / 2];
    StringBuilder line =
        new StringBuilder(
            String.format(
                Locale.ROOT,
                "%s: median %.1f ms, p99 %.1f ms",
                what,
                median,
                sorted[sorted.length * 99 / 100]));
    if (plain != null) {
      double[] base = plain.clone();
      Arrays.sort(base);
      line.append(
          String.format(
              Locale.ROOT,
              ", %d chosen, median / PostgreSQL alone %.1f",
              total,
              median / base[base.length / 2]));
    }
    System.out.println(line);
  }
}
