package bargelane.e2e;

import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Supplier;

/** One address before several nodes: each connection goes to the next one that takes it. */
final class Front implements Closeable {

  private static final int CONNECT_MS = 2000;

  private final Supplier<List<String>> nodes;
  private final ServerSocket server;
  private final AtomicInteger next = new AtomicInteger();

  /**
   * Opens it on loopback.
   *
   * @param nodes addresses of the nodes, asked for at each connection
   */
  Front(Supplier<List<String>> nodes) throws IOException {
    this.nodes = nodes;
    this.server = new ServerSocket(0, 50, InetAddress.getLoopbackAddress());
    begin(this::accept);
  }

  URI address() {
    return URI.create("https://127.0.0.1:" + server.getLocalPort());
  }

  private static void begin(Runnable what) {
    Thread thread = new Thread(what, "front");
    thread.setDaemon(true);
    thread.start();
  }

  private void accept() {
    while (!server.isClosed()) {
      try {
        Socket in = server.accept();
        Socket out = toOne();
        begin(() -> pump(in, out));
        begin(() -> pump(out, in));
      } catch (IOException e) {
        // Closed: nobody comes any more.
      }
    }
  }

  /** A connection to a node; one that leads nowhere if none takes it. */
  private Socket toOne() {
    List<String> all = nodes.get();
    for (int i = 0; i < all.size(); i++) {
      URI at = URI.create(all.get(Math.floorMod(next.getAndIncrement(), all.size())));
      Socket socket = new Socket();
      try {
        socket.connect(new InetSocketAddress(at.getHost(), at.getPort()), CONNECT_MS);
        return socket;
      } catch (IOException e) {
        // That node is away: the next one.
      }
    }
    return new Socket();
  }

  private static void pump(Socket from, Socket to) {
    try (from;
        to) {
      from.getInputStream().transferTo(to.getOutputStream());
    } catch (IOException e) {
      // One side is gone: so is the connection.
    }
  }

  @Override
  public void close() throws IOException {
    server.close();
  }
}
