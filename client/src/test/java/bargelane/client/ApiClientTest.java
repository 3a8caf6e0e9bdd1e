package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Problem;
import bargelane.api.Remedy;
import bargelane.api.Trust;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** The client before a server on loopback that answers as it is told, true or not. */
class ApiClientTest {

  private final List<HttpExchange> asked = Collections.synchronizedList(new ArrayList<>());
  private volatile int status = 200;
  private volatile String body = "{}";
  private volatile int promised;
  private HttpServer server;
  private URI address;
  private ApiClient client;

  @BeforeEach
  void open() throws IOException {
    server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/",
        exchange -> {
          asked.add(exchange);
          byte[] bytes = body.getBytes(StandardCharsets.UTF_8);
          exchange.sendResponseHeaders(
              status, bytes.length == 0 ? -1 : Math.max(bytes.length, promised));
          if (bytes.length > 0) {
            exchange.getResponseBody().write(bytes);
          }
          exchange.close();
        });
    server.start();
    address = URI.create("http://127.0.0.1:" + server.getAddress().getPort());
    client = new ApiClient(address, "secret", Trust.system());
  }

  @AfterEach
  void shut() {
    server.stop(0);
  }

  private String header(int request, String name) {
    return asked.get(request).getRequestHeaders().getFirst(name);
  }

  private Problem problem() {
    return assertThrows(ApiClient.ProblemException.class, () -> client.get("/waves")).problem();
  }

  @Test
  void anAnswerIsReadToTheCent() {
    body = "{\"cost\":4394.80,\"big\":123456789012345678901234567890}";
    assertEquals("4394.80", client.get("/x").get("cost").asText());
    assertEquals("123456789012345678901234567890", client.get("/x").get("big").asText());
    assertEquals("Bearer secret", header(0, "Authorization"));
    assertEquals("/api/v1/x", asked.get(0).getRequestURI().toString());
  }

  @Test
  void everyPostHasAKeyOfItsOwnAndAChangeSaysWhatItChanges() {
    client.post("/waves", Map.of("name", "lending"));
    client.post("/waves", null);
    assertNotEquals(header(0, "Idempotency-Key"), header(1, "Idempotency-Key"));
    assertEquals("application/json", header(0, "Content-Type"));
    client.put("/lanes/over", Map.of(), "\"7\"");
    assertEquals("\"7\"", header(2, "If-Match"));
  }

  @Test
  void anEmptyAnswerIsNothing() {
    status = 204;
    body = "";
    assertTrue(client.delete("/waves/lending").isNull());
  }

  @Test
  void aProblemComesThroughAsItWasTold() {
    status = 409;
    body =
        "{\"type\":\"about:blank\",\"title\":\"t\",\"status\":409,\"code\":\"wave-busy\","
            + "\"detail\":\"work is open\",\"remedy\":{\"advice\":\"wait\"},\"more\":[1]}";
    assertEquals(
        new Problem("about:blank", "t", 409, "wave-busy", "work is open", Remedy.advice("wait")),
        problem());
  }

  @ParameterizedTest
  @CsvSource({
    "502, <html>bad gateway</html>",
    "500, {}",
    "500, null",
    "500, ''",
    "404, []",
    "401, {\"detail\":7",
    "302, moved"
  })
  void anErrorThatIsNotTheServicesIsToldByItsStatus(int given, String text) {
    status = given;
    body = text;
    Problem told = problem();
    assertEquals("http-" + given, told.code());
    assertEquals("the answer has status " + given, told.detail());
    assertEquals("see that the address is that of the service", told.remedy().advice());
  }

  @ParameterizedTest
  @ValueSource(strings = {"<html>sign in</html>", "{\"waves\":[", "waves"})
  void anAnswerThatIsNotJsonIsNotTheServices(String text) {
    body = text;
    Problem told = problem();
    assertEquals("the answer of " + address + " is not JSON", told.detail());
    assertEquals("see that the address is that of the service", told.remedy().advice());
  }

  @Test
  void anAnswerThatBreaksOffIsNoAnswer() {
    body = "{\"waves\":";
    promised = 1000;
    assertTrue(
        assertThrows(ApiClient.UnreachableException.class, () -> client.get("/waves"))
            .getMessage()
            .startsWith("the service does not answer at " + address));
  }

  @Test
  void whereNobodyListensTheAddressIsNamed() throws IOException {
    int free;
    try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      free = socket.getLocalPort();
    }
    ApiClient nobody = new ApiClient(URI.create("http://127.0.0.1:" + free), "", Trust.system());
    assertTrue(
        assertThrows(ApiClient.UnreachableException.class, () -> nobody.get("/waves"))
            .getMessage()
            .contains(String.valueOf(free)));
  }
}
