package bargelane.service.connection;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.site.Conversation;
import bargelane.service.connection.NetworkTraffic.Exchange;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class NetworkTrafficTest {

  private static Conversation seen(String client, String server, int port, long bytes) {
    return new Conversation(
        client, server, "tcp", port, "", 1, bytes, Instant.EPOCH, Instant.EPOCH);
  }

  @Test
  void sumsWhatGroupsExchangeWithEachOtherAndWithRanges() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      db.run(
          s ->
              Connections.seen(
                  s,
                  "agents",
                  List.of(
                      seen("10.1.0.1", "10.2.0.1", 5432, 100),
                      seen("10.1.0.1", "10.2.0.1", 22, 20),
                      seen("10.2.0.2", "10.1.0.2", 53, 7),
                      seen("10.1.0.1", "10.1.0.2", 53, 1),
                      seen("10.1.0.1", "10.9.0.1", 443, 1000),
                      seen("10.9.0.2", "10.1.0.2", 443, 500),
                      seen("fd00::1", "fd09::1", 443, 3),
                      seen("10.9.0.1", "172.16.0.1", 443, 9999))));
      Map<String, List<String>> groups =
          Map.of(
              "one", List.of("10.1.0.1", "10.1.0.2", "fd00::1", "?"),
              "two", List.of("10.2.0.1", "10.2.0.2"));
      assertEquals(
          List.of(
              new Exchange("one", "one", true, 2, 2),
              new Exchange("one", "two", true, 2, 127),
              new Exchange("one", "far", false, 2, 1500),
              new Exchange("one", "far6", false, 1, 3),
              new Exchange("two", "one", true, 2, 127)),
          db.tx(
              s ->
                  NetworkTraffic.of(
                      s,
                      groups,
                      Map.of(
                          "far",
                          List.of("10.9.0.1", "10.9.0.2", "10.9.0.3"),
                          "far6",
                          List.of("fd09:0::1"),
                          // What is of a group is of no other.
                          "near",
                          List.of("10.2.0.1")))));
      assertEquals(
          List.of(),
          db.tx(s -> NetworkTraffic.of(s, Map.of(), Map.of("far", List.of("10.9.0.1")))));
    }
  }
}
