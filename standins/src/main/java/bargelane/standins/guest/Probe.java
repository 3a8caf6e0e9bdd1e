package bargelane.standins.guest;

import com.sun.net.httpserver.HttpServer;
import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Supplier;

/**
 * A running guest's service port, forwarded to loopback: takes TCP connections and answers HTTP
 * with what it is.
 */
public final class Probe implements Closeable {

  private final HttpServer server;
  private final int port;
  private final AtomicBoolean closed = new AtomicBoolean();

  public Probe(Supplier<byte[]> answer) throws IOException {
    server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/",
        exchange -> {
          byte[] body = answer.get();
          exchange.getResponseHeaders().set("Content-Type", "application/json");
          exchange.sendResponseHeaders(200, body.length);
          exchange.getResponseBody().write(body);
          exchange.close();
        });
    server.start();
    port = server.getAddress().getPort();
  }

  public int port() {
    return port;
  }

  @Override
  public void close() {
    if (closed.compareAndSet(false, true)) {
      server.stop(0);
    }
  }
}
