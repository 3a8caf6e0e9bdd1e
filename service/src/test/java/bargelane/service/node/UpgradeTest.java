package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Trust;
import bargelane.service.guest.AgentListener;
import bargelane.service.platform.TestDatabase;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Clock;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * Databases that {@link Former} versions left come up under this one. What is between two of them
 * is gone through with data.
 */
class UpgradeTest {

  /** What was there before is there afterwards. */
  private static final List<String> KEPT =
      List.of(
          "account",
          "credential",
          "site",
          "machine",
          "lane",
          "timetable",
          "wave",
          "tow",
          "member",
          "leg",
          "replica",
          "point",
          "pass",
          "run",
          "step",
          "dossier",
          "event");

  @TempDir Path home;

  private static Map<String, Long> counts(Connection connection) throws SQLException {
    Map<String, Long> counts = new LinkedHashMap<>();
    try (Statement sql = connection.createStatement()) {
      for (String table : KEPT) {
        try (ResultSet r = sql.executeQuery("select count(*) from " + table)) {
          r.next();
          counts.put(table, r.getLong(1));
        }
      }
    }
    return counts;
  }

  private BargeLane node(TestDatabase database) throws IOException {
    return new BargeLane(
        new BargeLane.Options(
            home,
            Served.LOOPBACK,
            database.url,
            "bargelane",
            database.password,
            "node",
            false,
            new AgentListener.Where(InetSocketAddress.createUnresolved("127.0.0.1", 0), ""),
            Pace.USUAL,
            BargeLane.Kept.USUAL),
        Clock.systemUTC());
  }

  @ParameterizedTest
  @ValueSource(ints = {1, 7, 19})
  void aDatabaseOfAFormerVersionComesUpWithAllThatItHolds(int schema) throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Connection connection =
            DriverManager.getConnection(database.url, "bargelane", database.password)) {
      Former.into(database, home, schema);
      Map<String, Long> before = counts(connection);
      assertTrue(before.get("point") >= 1 && before.get("machine") >= 2, before.toString());
      database.connect().close();
      assertEquals(before, counts(connection));
      try (BargeLane node = node(database)) {
        JsonNode wave = get(node, "/waves/lending");
        assertEquals(before.get("member"), wave.path("machines").size());
        assertEquals(before.get("point"), wave.path("points").size());
        assertEquals(before.get("machine"), get(node, "/machines?size=1").path("total").asLong());
        for (String path :
            List.of(
                "/overview",
                "/waves",
                "/waves/lending/points",
                "/waves/lending/passes",
                "/waves/lending/days",
                "/waves/lending/refit",
                "/waves/lending/probes",
                "/machines?size=500",
                "/sites",
                "/lanes",
                "/timetables",
                "/runs?size=100",
                "/events?size=1000",
                "/assessments",
                "/price-books",
                "/dossiers",
                "/credentials",
                "/accounts",
                "/approvals",
                "/tokens")) {
          get(node, path);
        }
        for (JsonNode pass : get(node, "/waves/lending/passes")) {
          if (pass.path("state").asText().equals("complete")) {
            assertEquals(3, pass.path("disks").size());
            assertTrue(pass.path("disks").path(0).path("total").isNumber(), pass.toString());
          }
        }
        for (JsonNode run : get(node, "/runs?size=100")) {
          get(node, "/runs/" + run.path("id").asText());
        }
        for (JsonNode credential : get(node, "/credentials")) {
          assertTrue(credential.path("destinations").size() > 0, credential.toString());
        }
        assertEquals("", get(node, "/audit/check").path("broken").asText());
      }
    }
  }

  private JsonNode get(BargeLane node, String path) throws Exception {
    Trust trust = Trust.pinned(Files.readString(home.resolve("fingerprint")));
    HttpResponse<String> r =
        HttpClient.newBuilder()
            .version(HttpClient.Version.HTTP_1_1)
            .sslContext(trust.context())
            .build()
            .send(
                HttpRequest.newBuilder(URI.create(node.address() + "/api/v1" + path))
                    .header(
                        "Authorization",
                        "Bearer " + Files.readString(home.resolve("token")).strip())
                    .build(),
                BodyHandlers.ofString());
    assertEquals(200, r.statusCode(), path + ": " + r.body());
    return Served.JSON.readTree(r.body());
  }
}
