package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * A lane of 10,000 machines with 2,000 decisions for cards and one for each of 400 labels: all of
 * them placed, with what is in the way; and one decision made, with the machine it is for placed
 * again. Beside them the same client's call of {@code /health}, in the same run.
 */
final class LanesBench {

  private static final int MACHINES = 10_000;
  private static final int CARDS = 2_000;
  private static final int TALKS = 200_000;
  private static final int LABELS = 400;
  private static final int CALLS = 30;

  private LanesBench() {}

  static void run() throws IOException, SQLException {
    Path seed = Files.createTempFile("cloud", ".yaml");
    try (InputStream in = LanesBench.class.getResourceAsStream("/demo/cloud.yaml")) {
      // One subnet that holds the addresses of all machines.
      Files.writeString(
          seed,
          new String(in.readAllBytes(), StandardCharsets.UTF_8)
              .replaceAll(
                  "(name: archive.*cidr: )[0-9./]+, gateway: [0-9.]+",
                  "$1172.16.0.0/12, gateway: 172.16.0.1")
              .replaceAll("(sub-archive.*reserved: )\\[[^]]*\\]", "$1[]")
              .replace("volumeGib: 30000", "volumeGib: 100000000")
              .replace("machines: 80", "machines: 100000"));
      measure(seed);
    } finally {
      Files.delete(seed);
    }
  }

  private static void measure(Path seed) throws IOException, SQLException {
    try (Harness harness =
            Harness.create().database().estate(MACHINES).cloud(seed.toString()).service();
        Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement sql = db.createStatement()) {
      ApiClient api = harness.api();
      Journey journey = new Journey(api, line -> {});
      journey.addSite("mill-street", harness.estate());
      journey.addSite("saltmarsh", harness.saltmarsh());
      journey.check("mill-street");
      journey.check("saltmarsh");
      // What machines used is not looked at here.
      sql.execute("update site set usage_until = now()");
      journey.scan("mill-street");
      journey.scan("saltmarsh");
      Map<String, String> joins = new HashMap<>();
      for (JsonNode n : api.get("/machines?size=500&filter=name%20has%20%27-%27").path("items")) {
        n.path("nics").forEach(x -> joins.put(x.path("network").asText(), "sub-archive"));
      }
      for (int i = 0; i < MACHINES / 40; i++) {
        joins.put("net-" + i, "sub-archive");
      }
      journey.lane(joins);
      List<Map<String, Object>> labels = new ArrayList<>();
      for (int i = 0; i < LABELS; i++) {
        labels.add(
            Map.of("scope", "label", "of", "app=app-" + i, "setting", "class", "value", "mud"));
      }
      api.put("/lanes/mill-to-marsh/rules", Map.of("changes", labels));
      List<String> names = new ArrayList<>();
      StringBuilder csv = new StringBuilder("id,machine,card,subnet,address\n");
      for (int page = 0; names.size() < CARDS; page++) {
        for (JsonNode m :
            api.get("/lanes/mill-to-marsh/plan?size=500&page=" + page).path("items")) {
          names.add(m.path("machine").asText());
          csv.append(m.path("id").asText() + "," + m.path("machine").asText())
              .append(",0,sub-archive,choose\n");
        }
      }
      long from = System.nanoTime();
      JsonNode taken =
          api.post(
              "/lanes/mill-to-marsh/addresses",
              Map.of("csv", csv.toString(), "dryRun", false, "whole", false));
      System.out.printf(
          Locale.ROOT,
          "a list of %d cards    %6.2f s, %d decisions%n",
          names.size(),
          (System.nanoTime() - from) / 1e9,
          taken.path("added").asInt() + taken.path("changed").asInt());
      double plain = median(() -> api.get("/health"));
      // A row that changed has all be read again.
      double cold =
          median(
              () -> {
                change(sql);
                api.get("/lanes/mill-to-marsh/plan?size=50");
              });
      double warm = median(() -> api.get("/lanes/mill-to-marsh/plan?size=50"));
      double found = median(() -> api.get("/lanes/mill-to-marsh/plan?size=50&found=true"));
      int[] n = {0};
      double again =
          median(
              () -> {
                String name = names.get(n[0]++ % names.size());
                api.put(
                    "/lanes/mill-to-marsh/rules",
                    Map.of(
                        "changes",
                        List.of(
                            Map.of(
                                "scope",
                                "machine",
                                "of",
                                name,
                                "setting",
                                "zone",
                                "value",
                                n[0] % 2 == 0 ? "tide-1" : "tide-2"))));
                api.get("/lanes/mill-to-marsh/plan?size=50&filter=name%20%3D%20" + name);
              });
      double spans = median(() -> api.get("/lanes/mill-to-marsh/spans"));
      String file =
          api.post("/estate/exports", Map.of("only", List.of("lanes"))).path("yaml").asText();
      double compared = median(() -> compare(api, file));
      // Every decision of a label is another one.
      double edited = median(() -> compare(api, file.replace("class: mud", "class: reed")));
      System.out.printf(
          Locale.ROOT,
          "an estate file of %d lines, %d KiB%n",
          file.lines().count(),
          file.length() >> 10);
      print("compared, nothing changed", compared, plain);
      print("compared, labels changed", edited, plain);
      print("ranges at both ends", spans, plain);
      print("all machines, first time", cold, plain);
      print("all machines, again", warm, plain);
      print("all, those with findings", found, plain);
      print("one decision, judged", again, plain);
      // Last, for it adds what the others would look at too.
      print("joins suggested", suggested(api, sql), plain);
    }
  }

  /** Suggestions for a lane that joins nothing, with sizes accepted and traffic seen. */
  private static double suggested(ApiClient api, Statement sql) throws SQLException {
    api.post(
        "/assessments",
        Map.of("name", "all", "filter", "site = mill-street", "target", "saltmarsh"),
        Duration.ofMinutes(5));
    api.post("/assessments/all/accept", Map.of("revision", 0), Duration.ofMinutes(5));
    sql.execute(
        "insert into connection (observer, client, server, protocol, port, process, count, bytes,"
            + " first_seen, last_seen) select 'bench', a.address, b.address, 'tcp', n % 50, '', 1,"
            + " n, now(), now() from generate_series(1, "
            + TALKS
            + ") n join (select address, row_number() over () - 1 i from machine_address) a"
            + " on a.i = n % (select count(*) from machine_address)"
            + " join (select address, row_number() over () - 1 i from machine_address) b"
            + " on b.i = (n * 7919 + n / 10000 * 31) % (select count(*) from machine_address)"
            + " on conflict do nothing");
    sql.execute("analyze");
    api.post("/lanes", Map.of("name", "bare", "from", "mill-street", "to", "saltmarsh"));
    int[] found = new int[1];
    double median = median(() -> found[0] = api.get("/lanes/bare/suggestions").size());
    try (ResultSet r = sql.executeQuery("select count(*) from connection")) {
      r.next();
      System.out.printf(
          Locale.ROOT,
          "%d joins suggested, by the accepted sizes of %d machines and %d kinds of connections%n",
          found[0],
          MACHINES,
          r.getLong(1));
    }
    return median;
  }

  private static void compare(ApiClient api, String file) {
    JsonNode told = api.post("/estate/comparisons", Map.of("yaml", file));
    if (!told.path("problems").isEmpty()) {
      throw new IllegalStateException(told.path("problems").toString());
    }
  }

  private static void change(Statement sql) {
    try {
      sql.execute(
          "update machine set last_seen = last_seen where id = (select min(id) from machine)");
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  private static void print(String what, double millis, double plain) {
    System.out.printf(
        Locale.ROOT,
        "%-26s median %7.1f ms, %6.1f times /health (%.1f ms)%n",
        what,
        millis,
        millis / plain,
        plain);
  }

  private static double median(Runnable call) {
    double[] millis = new double[CALLS];
    for (int i = -5; i < CALLS; i++) {
      long from = System.nanoTime();
      call.run();
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    return millis[CALLS / 2];
  }
}
