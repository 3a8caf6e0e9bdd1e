package bargelane.standins;

import inet.ipaddr.IPAddressString;
import java.io.ByteArrayOutputStream;
import java.io.Closeable;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What lies in front of a platform's machines: connections from outside come in here, are let
 * through to a running machine by its rules or closed without a byte, and are carried to the guest,
 * which answers on every port. Since all of it is on loopback, a connection begins with who it is
 * from and to whom it goes, as one line of the PROXY protocol, version 1 (its specification,
 * section 2.1).
 */
final class Edge implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(Edge.class);

  /** The longest line of the protocol, with its end. */
  private static final int LONGEST_LINE = 107;

  private static final int PATIENCE_MS = 5_000;
  private static final int AT_ONCE = 64;

  private final Host host;
  private final ServerSocket server;
  private final Set<Socket> open = ConcurrentHashMap.newKeySet();
  private final ExecutorService threads = Executors.newCachedThreadPool(Edge::thread);

  Edge(Host host) throws IOException {
    this.host = host;
    this.server = new ServerSocket(0, AT_ONCE, InetAddress.getLoopbackAddress());
    threads.execute(this::accept);
  }

  private static Thread thread(Runnable work) {
    Thread thread = new Thread(work, "edge");
    thread.setDaemon(true);
    return thread;
  }

  int port() {
    return server.getLocalPort();
  }

  private void accept() {
    while (!server.isClosed()) {
      try {
        Socket socket = server.accept();
        open.add(socket);
        if (open.size() > AT_ONCE) {
          drop(socket);
        } else {
          threads.execute(() -> serve(socket));
        }
      } catch (IOException e) {
        log.debug("the edge accepts no more: {}", e.getMessage());
      }
    }
  }

  private void serve(Socket client) {
    try {
      client.setSoTimeout(PATIENCE_MS);
      String[] words = line(client.getInputStream()).split(" ", -1);
      if (words.length != 6 || !words[0].equals("PROXY") || !words[1].matches("TCP[46]")) {
        throw new IOException("no line of the PROXY protocol");
      }
      int guest = host.letIn(words[2], words[3], Integer.parseInt(words[5]));
      try (Socket machine = new Socket()) {
        machine.connect(
            new InetSocketAddress(InetAddress.getLoopbackAddress(), guest), PATIENCE_MS);
        machine.setSoTimeout(PATIENCE_MS);
        threads.execute(() -> carry(client, machine));
        machine.getInputStream().transferTo(client.getOutputStream());
      }
    } catch (IOException | NumberFormatException | Refusal e) {
      log.debug("not let in: {}", e.getMessage());
    } finally {
      drop(client);
    }
  }

  private static void carry(Socket from, Socket to) {
    try {
      from.getInputStream().transferTo(to.getOutputStream());
      to.shutdownOutput();
    } catch (IOException e) {
      log.debug("a connection ended: {}", e.getMessage());
    }
  }

  private static String line(InputStream in) throws IOException {
    ByteArrayOutputStream line = new ByteArrayOutputStream();
    while (line.size() < LONGEST_LINE) {
      int next = in.read();
      if (next < 0) {
        throw new EOFException("the line does not end");
      }
      if (next == '\n') {
        return line.toString(StandardCharsets.US_ASCII).strip();
      }
      line.write(next);
    }
    throw new IOException("the line is too long");
  }

  /** Whether rules let an address in to a port over TCP. */
  static boolean lets(List<Platform.Ingress> rules, int port, String from) {
    return rules.stream()
        .filter(r -> r.protocol().equals("tcp") && r.port() == port)
        .anyMatch(
            r ->
                r.from().isEmpty()
                    || new IPAddressString(r.from()).contains(new IPAddressString(from)));
  }

  private void drop(Socket socket) {
    open.remove(socket);
    try {
      socket.close();
    } catch (IOException e) {
      log.debug("closing: {}", e.getMessage());
    }
  }

  @Override
  public void close() throws IOException {
    server.close();
    open.forEach(this::drop);
    threads.shutdownNow();
  }
}
