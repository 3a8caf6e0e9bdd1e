package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.cert.X509Certificate;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLEngine;
import javax.net.ssl.TrustManager;
import javax.net.ssl.X509ExtendedTrustManager;

/**
 * A list of 10,000 machines taken over; reports of agents, one a minute of each, beside the same
 * request refused before anything is read; a hundred machines' old months folded, and a percentile
 * over a year of them.
 */
final class SourcesBench {

  private static final int MACHINES = 10_000;
  private static final int AGENTS = 50;
  private static final int REPORTS = 40;
  private static final int OLD = 100;
  private static final int MONTHS = 12;
  private static final int CALLS = 300;

  private SourcesBench() {}

  static void run() throws IOException, SQLException {
    try (Harness harness = Harness.create().database().service();
        Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement sql = db.createStatement()) {
      ApiClient api = harness.api();
      list(api);
      agents(api, harness);
      months(harness, db, sql);
    }
  }

  private static double seconds(long from) {
    return (System.nanoTime() - from) / 1e9;
  }

  private static void list(ApiClient api) {
    StringBuilder csv = new StringBuilder("name,cpus,memory,disks,nics,label.app\n");
    for (int i = 0; i < MACHINES; i++) {
      csv.append(
          String.format(
              Locale.ROOT,
              "listed-%d,4,16 GiB,40 GiB;100 GiB;200 GiB,net-%d 10.%d.%d.%d 52:54:00:%02x:%02x:01,app-%d%n",
              i,
              i % 20,
              40 + i / 40_000,
              i / 200 % 200,
              i % 200 + 1,
              i / 256,
              i % 256,
              i % 50));
    }
    api.post("/sites", Map.of("name", "boathouse", "kind", "csv", "address", ""));
    for (String which : new String[] {"new", "the same again"}) {
      long from = System.nanoTime();
      JsonNode result =
          api.post(
              "/sites/boathouse/machines",
              Map.of("csv", csv.toString(), "dryRun", false, "whole", false),
              Duration.ofMinutes(10));
      System.out.printf(
          Locale.ROOT,
          "a list of %,d machines, %s: %.1f s (%d new)%n",
          result.path("rows").asInt(),
          which,
          seconds(from),
          result.path("added").asInt());
    }
  }

  /** Trusts the service that this benchmark started, which is on loopback. */
  private static HttpClient client() throws IOException {
    try {
      SSLContext context = SSLContext.getInstance("TLSv1.3");
      context.init(
          null,
          new TrustManager[] {
            new X509ExtendedTrustManager() {
              @Override
              public void checkClientTrusted(X509Certificate[] c, String a, java.net.Socket s) {}

              @Override
              public void checkServerTrusted(X509Certificate[] c, String a, java.net.Socket s) {}

              @Override
              public void checkClientTrusted(X509Certificate[] c, String a, SSLEngine e) {}

              @Override
              public void checkServerTrusted(X509Certificate[] c, String a, SSLEngine e) {}

              @Override
              public void checkClientTrusted(X509Certificate[] c, String a) {}

              @Override
              public void checkServerTrusted(X509Certificate[] c, String a) {}

              @Override
              public X509Certificate[] getAcceptedIssuers() {
                return new X509Certificate[0];
              }
            }
          },
          null);
      return HttpClient.newBuilder()
          .version(HttpClient.Version.HTTP_1_1)
          .sslContext(context)
          .build();
    } catch (GeneralSecurityException e) {
      throw new IOException(e);
    }
  }

  private static String post(HttpClient http, URI to, String token, String body, int wanted)
      throws IOException {
    try {
      HttpResponse<String> answer =
          http.send(
              HttpRequest.newBuilder(to)
                  .header("Authorization", "Bearer " + token)
                  .POST(HttpRequest.BodyPublishers.ofString(body))
                  .build(),
              HttpResponse.BodyHandlers.ofString());
      if (answer.statusCode() != wanted) {
        throw new IOException(to + ": " + answer.statusCode() + " " + answer.body());
      }
      return answer.body();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  private static String survey(int agent) {
    StringBuilder text =
        new StringBuilder(
            String.format(
                Locale.ROOT,
                """
                format: bargelane/survey/1
                = time
                 %d
                = identity
                 %032x
                = account
                 bargelane-agent
                = host
                 annex-%d
                 Linux
                 6.1.0
                 x86_64
                = cards
                 eth0 52:54:01:00:%02x:01 up physical
                = memory
                 MemTotal: 8000000 kB
                = blocks
                 sda 83886080 - 0
                = os
                 PRETTY_NAME="Debian GNU/Linux 12"
                = packages
                """,
                System.currentTimeMillis() / 1000,
                agent + 1,
                agent,
                agent));
    for (int i = 0; i < 800; i++) {
      text.append(" package-").append(i).append(" 1.2.3-4 amd64\n");
    }
    return text.append("= end\n").toString();
  }

  private static String digest(String token) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(token.getBytes(StandardCharsets.UTF_8)));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  private static void agents(ApiClient api, Harness harness) throws IOException {
    api.post("/sites", Map.of("name", "annexes", "kind", "agents", "address", ""));
    String[] keys = new String[AGENTS];
    for (int a = 0; a < AGENTS; a++) {
      String line =
          api.post("/sites/annexes/agents/keys", Map.of("hours", 1)).path("line").asText();
      keys[a] = line.replaceAll(".*BARGELANE_KEY=([^ ]+) .*", "$1");
    }
    URI service =
        URI.create(
            "https://127.0.0.1:"
                + Files.readString(harness.home().resolve("service/agents-port")).strip());
    HttpClient http = client();
    String boot = "6f1c2a1e-0000-4000-8000-000000000001";
    for (int a = 0; a < AGENTS; a++) {
      post(
          http,
          service.resolve("/enrol"),
          "",
          "format: bargelane/enrol/1\nkey "
              + keys[a]
              + "\ntoken-digest "
              + digest("token-" + a)
              + "\nversion 0.1.0\nhost annex-"
              + a
              + "\n",
          200);
    }
    long from = System.nanoTime();
    for (int a = 0; a < AGENTS; a++) {
      post(
          http,
          service.resolve("/report"),
          "token-" + a,
          "format: bargelane/report/1\nversion 0.1.0\nsurvey all\nnow "
              + boot
              + " 60000 "
              + System.currentTimeMillis()
              + "\n"
              + survey(a),
          200);
    }
    System.out.printf(
        Locale.ROOT,
        "agents: a first survey with 800 packages %.1f ms%n",
        seconds(from) * 1e3 / AGENTS);
    double[] refused = new double[AGENTS * REPORTS];
    double[] taken = new double[AGENTS * REPORTS];
    for (int r = 0; r < REPORTS; r++) {
      for (int a = 0; a < AGENTS; a++) {
        long uptime = 60_000L * (r + 2);
        String body =
            String.format(
                Locale.ROOT,
                "format: bargelane/report/1%nversion 0.1.0%nlook %d %s %d %d %d 1000000 5 5 5 5 5 5%nnow %s %d %d%n",
                r + 1,
                boot,
                uptime,
                System.currentTimeMillis(),
                r * 6000,
                boot,
                uptime,
                System.currentTimeMillis());
        from = System.nanoTime();
        post(http, service.resolve("/report"), "stranger", body, 401);
        refused[r * AGENTS + a] = seconds(from) * 1e3;
        from = System.nanoTime();
        post(http, service.resolve("/report"), "token-" + a, body, 200);
        taken[r * AGENTS + a] = seconds(from) * 1e3;
      }
    }
    Arrays.sort(refused);
    Arrays.sort(taken);
    System.out.printf(
        Locale.ROOT,
        "agents: a minute's report median %.1f ms, p99 %.1f ms; refused at the door %.1f ms; one after the other %.0f a second%n",
        taken[taken.length / 2],
        taken[taken.length * 99 / 100],
        refused[refused.length / 2],
        1000 / Arrays.stream(taken).average().orElse(1));
  }

  private static byte[] day(Random random) {
    ByteBuffer packed = ByteBuffer.allocate(9216);
    while (packed.hasRemaining()) {
      packed.putFloat((float) Math.exp(random.nextGaussian()));
    }
    return packed.array();
  }

  private static void months(Harness harness, Connection db, Statement sql)
      throws SQLException, IOException {
    LocalDate today = LocalDate.now(ZoneOffset.UTC);
    LocalDate first = today.withDayOfMonth(1).minusMonths(MONTHS);
    Random random = new Random(12);
    try (PreparedStatement put =
        db.prepareStatement(
            "insert into usage_day select m.id, ?, ? from machine m where m.name like 'listed-%' order by m.id limit "
                + OLD)) {
      for (LocalDate day = first; day.isBefore(today); day = day.plusDays(1)) {
        put.setObject(1, day);
        put.setBytes(2, day(random));
        put.executeUpdate();
      }
    }
    sql.execute("checkpoint");
    long before = one(sql, "select pg_total_relation_size('usage_day')");
    long rows = one(sql, "select count(*) from usage_day");
    String[] ids = new String[OLD];
    try (ResultSet r = sql.executeQuery("select distinct machine_id from usage_day order by 1")) {
      for (int i = 0; r.next() && i < OLD; i++) {
        ids[i] = r.getString(1);
      }
    }
    percentile(harness.api(), ids, first, "held day by day");
    // The folding is due at each start.
    harness.kill("service");
    sql.execute("update scheduled_tasks set execution_time = now() where task_name = 'fold-usage'");
    harness.service();
    long from = System.nanoTime();
    long left = one(sql, "select count(*) from usage_day");
    for (long now = -1; now != left || left == rows; ) {
      left = one(sql, "select count(*) from usage_day");
      sql.execute("select pg_sleep(2)");
      now = one(sql, "select count(*) from usage_day");
    }
    long months = one(sql, "select count(*) from usage_month");
    sql.execute("vacuum full usage_day");
    System.out.printf(
        Locale.ROOT,
        "folding %,d machine-months: under %.0f s; %,d bytes each with index and TOAST, where their days took %,d%n",
        months,
        seconds(from),
        one(sql, "select pg_total_relation_size('usage_month')") / Math.max(1, months),
        before / rows * (rows - left) / Math.max(1, months));
    percentile(harness.api(), ids, first, "of which all but two months are folded");
  }

  private static long one(Statement sql, String query) throws SQLException {
    try (ResultSet r = sql.executeQuery(query)) {
      r.next();
      return r.getLong(1);
    }
  }

  private static void percentile(ApiClient api, String[] ids, LocalDate first, String how) {
    double[] millis = new double[CALLS];
    for (int i = -30; i < CALLS; i++) {
      long from = System.nanoTime();
      api.get(
          "/machines/"
              + ids[(i + 30) % ids.length]
              + "/usage?percentile=95&from="
              + first
              + "T00:00:00Z");
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    System.out.printf(
        Locale.ROOT,
        "one machine's eight percentiles over a year, %s: median %.1f ms, p99 %.1f ms%n",
        how,
        millis[CALLS / 2],
        millis[CALLS * 99 / 100]);
  }
}
