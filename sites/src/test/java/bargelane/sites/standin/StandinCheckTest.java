package bargelane.sites.standin;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.function.Function;
import org.junit.jupiter.api.Test;

/** What a check finds at a platform that tells more than it lets one do. */
class StandinCheckTest {

  private final List<String> asked = Collections.synchronizedList(new ArrayList<>());

  /** Checks a platform that tells every permission, and answers what is changed there so. */
  private List<Finding> check(Function<String, Integer> changes) throws IOException {
    HttpServer server =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 5);
    server.createContext(
        "/",
        x -> {
          String path = x.getRequestURI().getPath();
          asked.add(x.getRequestMethod() + " " + path);
          boolean about = path.equals("/v1/about");
          int status = about ? 200 : changes.apply(path);
          byte[] body =
              (about
                      ? "{\"time\":\""
                          + Instant.now()
                          + "\",\"traits\":{\"version\":\"1\"},\"permissions\":"
                          + "[\"read\",\"snapshot\",\"volumes\",\"machines\",\"exports\"]}"
                      : status == 403
                          ? "{\"code\":\"not-permitted\",\"message\":\"no\"}"
                          : "{\"code\":\"missing\",\"message\":\"nothing\"}")
                  .getBytes(StandardCharsets.UTF_8);
          x.sendResponseHeaders(status, body.length);
          x.getResponseBody().write(body);
          x.close();
        });
    server.start();
    try {
      URI address = URI.create("http://127.0.0.1:" + server.getAddress().getPort());
      return new StandinDriver("reef", address, "t", Clock.systemUTC()).check();
    } finally {
      server.stop(0);
    }
  }

  @Test
  void permissionsAreTriedAndNotBelieved() throws IOException {
    List<Finding> found = check(path -> path.startsWith("/v1/volumes/") ? 403 : 404);
    assertEquals(List.of(Code.SITE_PERMISSION_MISSING), found.stream().map(Finding::code).toList());
    assertEquals("the token lacks the permission 'volumes'", found.get(0).cause());
    assertEquals(4, asked.stream().filter(a -> a.startsWith("DELETE ")).distinct().count());
    // Nothing that somebody may have is named.
    assertTrue(
        asked.stream()
            .filter(a -> a.startsWith("DELETE "))
            .allMatch(a -> a.contains("/bargelane-check-")));
    assertEquals(List.of(), check(path -> 404));
  }

  @Test
  void aPlatformThatStopsAnsweringInTheMiddleIsUnreachable() throws IOException {
    List<Finding> found = check(path -> path.startsWith("/v1/machines/") ? 503 : 404);
    assertEquals(List.of(Code.SITE_UNREACHABLE), found.stream().map(Finding::code).toList());
  }
}
