package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.core.wave.ProbePlan;
import bargelane.sites.Compute;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

/** A guest answers as it likes: a probe ends all the same, and holds little. */
class ProbeTest {

  private static final String OK = "HTTP/1.1 200 OK\r\n";

  /** What a guest does with a connection, after the request. */
  private interface Conduct {
    void to(OutputStream out) throws IOException, InterruptedException;
  }

  /** A guest that serves one connection, and the end of that. */
  private static final class Guest implements AutoCloseable {

    private final ServerSocket server = new ServerSocket(0, 5, InetAddress.getLoopbackAddress());
    private final CountDownLatch over = new CountDownLatch(1);

    Guest(Conduct conduct) throws IOException {
      Thread thread =
          new Thread(
              () -> {
                try (Socket socket = server.accept()) {
                  InputStream in = socket.getInputStream();
                  for (int ends = 0; ends < 4; ) {
                    ends = in.read() == "\r\n\r\n".charAt(ends) ? ends + 1 : 0;
                  }
                  conduct.to(socket.getOutputStream());
                } catch (IOException e) {
                  // Whoever asked has gone.
                } catch (InterruptedException e) {
                  Thread.currentThread().interrupt();
                } finally {
                  over.countDown();
                }
              },
              "guest");
      thread.setDaemon(true);
      thread.start();
    }

    Optional<String> probed() {
      Compute compute = mock(Compute.class);
      when(compute.wayIn(anyString(), anyInt()))
          .thenReturn(new Compute.WayIn("127.0.0.1", server.getLocalPort(), true));
      return assertTimeoutPreemptively(
          Duration.ofSeconds(20), () -> Probe.of(compute, "id", "db", "db", ProbePlan.USUAL));
    }

    @Override
    public void close() throws IOException {
      server.close();
    }
  }

  private static void say(OutputStream out, String text) throws IOException {
    out.write(text.getBytes(StandardCharsets.ISO_8859_1));
    out.flush();
  }

  private static String body(String text) {
    return OK + "Content-Length: " + text.length() + "\r\n\r\n" + text;
  }

  @Test
  void anAnswerWithoutEndIsAnAnswerAndIsNotReadOn() throws Exception {
    try (Guest guest =
        new Guest(
            out -> {
              say(out, OK + "Connection: close\r\n\r\n");
              byte[] more = new byte[1 << 20];
              while (true) {
                out.write(more);
              }
            })) {
      assertEquals(Optional.empty(), guest.probed());
      assertTrue(guest.over.await(20, TimeUnit.SECONDS), "its connection is closed");
    }
  }

  @Test
  void anAnswerThatDripsIsGivenUpAndItsConnectionClosed() throws Exception {
    try (Guest guest =
        new Guest(
            out -> {
              say(out, OK + "Content-Length: 1000000\r\n\r\n");
              while (true) {
                say(out, ".");
                TimeUnit.MILLISECONDS.sleep(50);
              }
            })) {
      String missing = guest.probed().orElseThrow();
      assertTrue(missing.contains("no whole answer within 3 s"), missing);
      assertTrue(guest.over.await(20, TimeUnit.SECONDS), "its connection is closed");
    }
  }

  @Test
  void aNameThatIsNotAskedForIsRepeatedShortAndPrintable() throws Exception {
    String told = "x\\u001b[2J" + "y".repeat(5000);
    try (Guest guest = new Guest(out -> say(out, body("{\"machine\":\"" + told + "\"}")))) {
      String missing = guest.probed().orElseThrow();
      assertTrue(missing.startsWith("db answered status 200 as 'x?[2Jy"), missing);
      assertTrue(missing.length() < 150, missing);
    }
  }

  @Test
  void nonsenseAndErrorsAreNoAnswer() throws Exception {
    try (Guest guest = new Guest(out -> say(out, "220 mail.example ready\r\n\r\n"))) {
      assertTrue(guest.probed().orElseThrow().startsWith("db does not answer yet: "));
    }
    try (Guest guest =
        new Guest(out -> say(out, "HTTP/1.1 503 Busy\r\nContent-Length: 0\r\n\r\n"))) {
      assertEquals(Optional.of("db answered status 503"), guest.probed());
    }
    try (Guest guest = new Guest(out -> say(out, body("{\"machine\":\"db\"}")))) {
      assertFalse(guest.probed().isPresent());
    }
  }
}
