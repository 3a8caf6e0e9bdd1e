package bargelane.e2e;

import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/**
 * A way to a platform's control interface that can be shut: for whoever comes through it the
 * platform is then away, while its machines run on.
 */
final class Gate implements Closeable {

  private final Platform platform;
  private final ServerSocket server;
  private final Set<Socket> open = ConcurrentHashMap.newKeySet();
  private volatile boolean refuses;
  private volatile boolean shut;
  private volatile String last = "";

  Gate(Platform platform) throws IOException {
    this.platform = platform;
    this.server = new ServerSocket(0, 50, InetAddress.getLoopbackAddress());
    begin(this::accept);
  }

  /** The platform as it is seen through the gate. */
  Platform behind() {
    return new Platform("http://127.0.0.1:" + server.getLocalPort(), platform.token());
  }

  void shut() {
    refuses = true;
    cut();
    shut = true;
  }

  /**
   * Lets the next request with some words in it through, and then shuts: the platform does what it
   * is asked, and nobody hears that it did.
   */
  void shutAfter(String words) {
    last = words;
  }

  /** Whether nothing passes any more, and what was let through last is done. */
  boolean isShut() {
    return shut;
  }

  void open() {
    last = "";
    shut = false;
    refuses = false;
  }

  private static void begin(Runnable what) {
    Thread thread = new Thread(what, "gate");
    thread.setDaemon(true);
    thread.start();
  }

  private void accept() {
    while (!server.isClosed()) {
      try {
        Socket in = server.accept();
        if (refuses) {
          in.close();
          continue;
        }
        URI to = URI.create(platform.address());
        Socket out = new Socket(to.getHost(), to.getPort());
        open.add(in);
        open.add(out);
        begin(() -> pump(in, out, true));
        begin(() -> pump(out, in, false));
      } catch (IOException e) {
        // Closed, or the platform is away: whoever came is told so by the end of the connection.
      }
    }
  }

  private void pump(Socket from, Socket to, boolean requests) {
    try (from;
        to) {
      InputStream in = from.getInputStream();
      OutputStream out = to.getOutputStream();
      byte[] part = new byte[64 * 1024];
      for (int n = in.read(part); n >= 0; n = in.read(part)) {
        boolean wanted =
            requests
                && !last.isEmpty()
                && new String(part, 0, n, StandardCharsets.ISO_8859_1).contains(last);
        if (wanted) {
          refuses = true;
          // No answer passes any more.
          from.shutdownOutput();
        }
        out.write(part, 0, n);
        out.flush();
        if (wanted) {
          // The platform reads the request before the end of the connection.
          to.shutdownOutput();
          try {
            while (to.getInputStream().read(part) >= 0) {
              // What it answers is for nobody.
            }
          } finally {
            // It has answered, so it has done it.
            shut();
          }
          return;
        }
      }
    } catch (IOException e) {
      // Cut.
    } finally {
      open.remove(from);
      open.remove(to);
    }
  }

  private void cut() {
    for (Socket socket : open) {
      try {
        socket.close();
      } catch (IOException e) {
        // It is closed.
      }
    }
    open.clear();
  }

  @Override
  public void close() throws IOException {
    server.close();
    cut();
  }
}
