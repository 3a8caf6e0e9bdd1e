package bargelane.sites.standin;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.sites.SiteException;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InterruptedIOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.Test;

/** A platform that stops in the middle of what it does. */
class StandinHttpTest {

  @Test
  void anAnswerThatStopsHalfWayIsGivenUp() throws Exception {
    for (String told :
        List.of(
            "",
            "HTTP/1.1 200 OK\r\n",
            "HTTP/1.1 200 OK\r\nContent-Length: 100\r\n\r\n{\"time\":")) {
      try (ServerSocket server = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
        CompletableFuture<Void> served = CompletableFuture.runAsync(() -> begin(server, told));
        StandinHttp http =
            new StandinHttp("reef", URI.create("http://127.0.0.1:" + server.getLocalPort()), "t");
        SiteException stalled =
            assertThrows(
                SiteException.class, () -> http.get("/v1/about", Duration.ofMillis(200)), told);
        assertEquals(SiteException.Kind.MAY_PASS, stalled.kind());
        assertTrue(stalled.getMessage().startsWith("reef does not answer"), stalled.getMessage());
        // It is noticed at the other end: the connection is not kept.
        served.get();
      }
    }
  }

  /** Says something, and nothing more until the other side is gone. */
  private static void begin(ServerSocket server, String told) {
    try (Socket one = server.accept()) {
      one.getOutputStream().write(told.getBytes(StandardCharsets.US_ASCII));
      one.getOutputStream().flush();
      while (one.getInputStream().read() >= 0) {
        // The request.
      }
    } catch (IOException e) {
      // The other side is gone.
    }
  }

  @Test
  void aStreamIsReadToItsEndAndGivenUpWhenItStalls() throws IOException {
    try (ServerSocket server = new ServerSocket(0, 5, InetAddress.getLoopbackAddress());
        Socket to = new Socket(server.getInetAddress(), server.getLocalPort());
        Socket from = server.accept()) {
      to.getOutputStream().write(7);
      InputStream in = new StallGuardedStream(from.getInputStream(), Duration.ofMillis(200));
      assertEquals(7, in.read());
      assertThrows(InterruptedIOException.class, in::read);
    }
    InputStream whole =
        new StallGuardedStream(
            new ByteArrayInputStream(new byte[] {1, 2, 3}), Duration.ofSeconds(30));
    assertEquals(3, whole.readAllBytes().length);
  }
}
