package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.event.Events;
import bargelane.service.guest.AgentListener;
import bargelane.service.http.Endpoints;
import bargelane.service.platform.TestDatabase;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.HashSet;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * The API's document is committed, so that a change of the API is seen in review, and the console's
 * types are made from it.
 */
class ApiDocumentTest {

  private static final Path SNAPSHOT = Path.of("../api/openapi.json");

  @TempDir private Path home;

  private String document() throws IOException {
    try (TestDatabase database = TestDatabase.open();
        Events events =
            new Events(
                database.db(), Clock.systemUTC(), database.url, "bargelane", database.password)) {
      Rooms rooms =
          new Rooms(
              database.db(),
              events,
              Clock.systemUTC(),
              home,
              "node",
              Pace.USUAL,
              new AgentListener.Where(InetSocketAddress.createUnresolved("127.0.0.1", 0), ""),
              BargeLane.Kept.USUAL);
      Endpoints endpoints = new Endpoints();
      rooms.apis.forEach(api -> api.add(endpoints));
      return endpoints.openApi() + "\n";
    }
  }

  @Test
  void theDocumentIsTheOneThatIsCommitted() throws IOException {
    String now = document();
    if (!Files.exists(SNAPSHOT) || !Files.readString(SNAPSHOT).equals(now)) {
      Path made = Path.of("target/openapi.json");
      Files.createDirectories(made.getParent());
      Files.writeString(made, now);
      assertEquals(
          Files.exists(SNAPSHOT) ? Files.readString(SNAPSHOT) : "",
          now,
          "the API has changed: if that is meant, cp service/target/openapi.json api/openapi.json");
    }
  }

  @Test
  void everyReferenceLeadsSomewhereAndEveryOperationHasItsOwnName() throws IOException {
    JsonNode api = new ObjectMapper().readTree(document());
    for (JsonNode ref : api.findValues("$ref")) {
      String name = ref.asText().substring("#/components/schemas/".length());
      assertTrue(api.path("components").path("schemas").has(name), name);
    }
    Set<String> names = new HashSet<>();
    for (JsonNode id : api.findValues("operationId")) {
      assertTrue(names.add(id.asText()), id.asText());
    }
    assertTrue(names.size() > 90, "all rooms are in it: " + names.size());
    JsonNode sizes = api.path("paths").path("/api/v1/machines").path("get").path("parameters");
    assertEquals("filter", sizes.path(0).path("name").asText());
    assertEquals("integer", sizes.path(2).path("schema").path("type").asText());
  }
}
