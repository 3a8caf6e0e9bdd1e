package bargelane.blocks.nbd;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.tls.ServerKeys;
import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.StandardProtocolFamily;
import java.net.StandardSocketOptions;
import java.net.UnixDomainSocketAddress;
import java.nio.channels.ServerSocketChannel;
import java.nio.channels.SocketChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import javax.net.ssl.SSLContext;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Serves named exports over NBD on a Unix socket, or over TLS on loopback. A thread a connection.
 * An export's name is what lets a client in, so over TLS it must not be guessable.
 */
public final class NbdServer implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(NbdServer.class);

  private final Map<String, Export> exports = new ConcurrentHashMap<>();
  private final ExecutorService threads =
      Executors.newCachedThreadPool(
          r -> {
            Thread thread = new Thread(r, "nbd");
            thread.setDaemon(true);
            return thread;
          });
  private final Closeable listener;
  private final Optional<Path> socket;
  private final int port;
  private final Optional<SSLContext> tls;
  private volatile boolean closed;

  private NbdServer(Closeable listener, Optional<Path> socket, int port, Optional<SSLContext> tls) {
    this.listener = listener;
    this.socket = socket;
    this.port = port;
    this.tls = tls;
  }

  /** Listens on a Unix socket, replacing a stale one. */
  public static NbdServer unix(Path socket) throws IOException {
    Files.deleteIfExists(socket);
    ServerSocketChannel channel = ServerSocketChannel.open(StandardProtocolFamily.UNIX);
    channel.bind(UnixDomainSocketAddress.of(socket));
    NbdServer server = new NbdServer(channel, Optional.of(socket), 0, Optional.empty());
    server.threads.submit(
        () -> {
          while (!server.closed) {
            server.serve(channel.accept());
          }
          return null;
        });
    return server;
  }

  /**
   * Listens on a free loopback port and serves only after TLS is up. What a client shows is held
   * against whom an export is for.
   */
  public static NbdServer tls(ServerKeys keys) throws IOException {
    return tls(Tls.ofServer(keys));
  }

  /** The same, with clients that show what its authorities signed, or nothing. */
  static NbdServer tls(SSLContext context) throws IOException {
    ServerSocketChannel listening = ServerSocketChannel.open();
    listening.bind(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0));
    NbdServer server =
        new NbdServer(
            listening, Optional.empty(), listening.socket().getLocalPort(), Optional.of(context));
    server.threads.submit(
        () -> {
          while (!server.closed) {
            server.serve(listening.accept());
          }
          return null;
        });
    return server;
  }

  private void serve(SocketChannel peer) {
    threads.submit(
        () -> {
          try (peer;
              NbdSession session = new NbdSession(Wire.of(peer), tls, exports::get)) {
            if (tls.isPresent()) {
              peer.setOption(StandardSocketOptions.TCP_NODELAY, true);
            }
            session.run();
          } catch (IOException e) {
            log.debug("disk connection ended: {}", e.getMessage());
          } catch (RuntimeException e) {
            log.warn("disk connection failed", e);
          }
        });
  }

  /** Offers a device under a name. The device is closed when the export is revoked. */
  public void offer(String name, BlockDevice device) {
    offer(name, device, Set.of());
  }

  /**
   * Offers a device under a name to some only.
   *
   * @param readers fingerprints (SHA-256, hexadecimal) of the certificates of whom it is for; none
   *     for whoever knows the name
   */
  public void offer(String name, BlockDevice device, Set<String> readers) {
    exports.put(name, new Export(name, device, Set.copyOf(readers)));
  }

  /**
   * Takes an export away: its connections are cut, and when this returns no request of any of them
   * is running or will run. An unknown name is fine: it is gone.
   */
  public void revoke(String name) throws IOException {
    Export export = exports.remove(name);
    if (export != null) {
      export.revoke();
    }
  }

  /** Port of the TLS listener, 0 for a Unix socket. */
  public int port() {
    return port;
  }

  /** Address of the Unix socket. */
  public Optional<Path> socket() {
    return socket;
  }

  @Override
  public void close() throws IOException {
    closed = true;
    listener.close();
    for (String name : exports.keySet()) {
      revoke(name);
    }
    threads.shutdownNow();
    if (socket.isPresent()) {
      Files.deleteIfExists(socket.get());
    }
  }
}
