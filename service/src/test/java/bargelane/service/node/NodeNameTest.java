package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.guest.AgentListener;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.Statement;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A second node, under the name of one that lives and under its own. */
class NodeNameTest extends Served {

  @TempDir Path second;

  private BargeLane another(String name) throws IOException {
    return another(name, Clock.systemUTC());
  }

  private BargeLane another(String name, Clock clock) throws IOException {
    return new BargeLane(
        new BargeLane.Options(
            second,
            LOOPBACK,
            database.url,
            "bargelane",
            database.password,
            name,
            false,
            new AgentListener.Where(InetSocketAddress.createUnresolved("127.0.0.1", 0), ""),
            Pace.USUAL,
            BargeLane.Kept.USUAL),
        clock);
  }

  @Test
  void aNodeThatLivesKeepsItsNameAndAKeyIsThatOfTheInstallation() throws Exception {
    String taken = assertThrows(IOException.class, () -> another("served")).getMessage();
    assertTrue(taken.contains("a node called served is running"), taken);
    assertEquals(List.of("served"), done("GET", "/nodes", owner, null).findValuesAsText("name"));
    // Another name is free; the first one's key is needed for what is sealed here.
    String key = assertThrows(IOException.class, () -> another("other")).getMessage();
    assertTrue(key.contains("master key file"), key);
    Files.copy(home.resolve("master-key"), second.resolve("master-key"));
    try (BargeLane other = another("other")) {
      // Tokens are of the installation, whichever node they were made at.
      String token = Files.readString(second.resolve("token")).strip();
      assertEquals(200, call("GET", "/me", token, null).statusCode());
      assertTrue(other.address().startsWith("https:"));
      // Its key would be the former one.
      HttpResponse<String> refused = call("POST", "/master-key", owner, Map.of());
      assertEquals("nodes-running", code(refused));
    }
    assertEquals(200, call("POST", "/master-key", owner, Map.of()).statusCode());
    String former = assertThrows(IOException.class, () -> another("other")).getMessage();
    assertTrue(former.contains("is not the one"), former);
    Files.copy(
        home.resolve("master-key"),
        second.resolve("master-key"),
        StandardCopyOption.REPLACE_EXISTING);
    // Its clock is an hour ahead: it works by the database's, and says so.
    Clock ahead = Clock.offset(Clock.systemUTC(), Duration.ofHours(1));
    try (BargeLane again = another("other", ahead)) {
      assertTrue(again.address().startsWith("https:"));
      assertEquals(
          "t", awaited("select true from event where text like '%of other is 3%s ahead of%'"));
      assertEquals("t", awaited("select max(at) < now() + interval '1 minute' from event"));
      JsonNode both = done("GET", "/nodes", owner, null);
      assertEquals(List.of("other", "served"), both.findValuesAsText("name"));
      assertTrue(both.findValues("lives").stream().allMatch(JsonNode::asBoolean), both.toString());
      assertEquals(again.address(), both.path(0).path("address").asText());
      assertEquals(3600, both.path(0).path("clockAheadSeconds").asDouble(), 5);
      String needs = done("GET", "/overview", owner, null).path("needs").toString();
      assertTrue(needs.contains(" s ahead of the database's, which work goes by"), needs);
    }
    assertEquals(
        List.of("served"),
        done("GET", "/nodes", owner, null).findValuesAsText("name"),
        "one that is stopped in order is not there");
    // As one leaves it that is killed.
    awaited(
        "insert into node select 'lost', version, 'quoin', address, started_at, now() - interval '1 minute', 0 from node returning 't'");
    JsonNode lost = done("GET", "/nodes", owner, null).path(0);
    assertFalse(lost.path("lives").asBoolean(), lost.toString());
    String needs = done("GET", "/overview", owner, null).path("needs").toString();
    assertTrue(needs.contains("node lost") && needs.contains("it is silent"), needs);
  }

  private static String awaited(String query) throws Exception {
    try (Connection c = DriverManager.getConnection(database.url, "bargelane", database.password);
        Statement s = c.createStatement()) {
      for (int i = 0; i < 600; i++) {
        try (ResultSet r = s.executeQuery(query)) {
          if (r.next()) {
            return r.getString(1);
          }
        }
        TimeUnit.MILLISECONDS.sleep(50);
      }
    }
    return "nothing";
  }
}
