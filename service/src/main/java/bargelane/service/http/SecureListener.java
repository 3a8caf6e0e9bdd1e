package bargelane.service.http;

import bargelane.blocks.tls.ServerKeys;
import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.UnknownHostException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.security.cert.CertificateException;
import java.security.cert.X509Certificate;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.eclipse.jetty.server.Connector;
import org.eclipse.jetty.server.DetectorConnectionFactory;
import org.eclipse.jetty.server.HttpConfiguration;
import org.eclipse.jetty.server.HttpConnectionFactory;
import org.eclipse.jetty.server.SecureRequestCustomizer;
import org.eclipse.jetty.server.Server;
import org.eclipse.jetty.server.ServerConnector;
import org.eclipse.jetty.server.SslConnectionFactory;
import org.eclipse.jetty.util.ssl.SslContextFactory;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Where the service listens, over TLS 1.3 and 1.2 with suites that give forward secrecy. Its
 * certificate is read from files, and again when they change, or made at the first start. Requests
 * without TLS come through too, so that they can be told where to go.
 */
public final class SecureListener implements Closeable {

  /**
   * Where to listen, and with what.
   *
   * @param at host and port; port 0 for a free one
   * @param files PEM files of the certificate and its key; none for one that is made
   */
  public record Where(InetSocketAddress at, Optional<Pair> files) {}

  /** PEM files of a certificate, with those that signed it, and of its key. */
  public record Pair(Path certificate, Path key) {}

  private static final Logger log = LoggerFactory.getLogger(SecureListener.class);

  private static final long LOOK_SECONDS = 5;
  private static final long YEAR_SECONDS = 31_536_000;
  private static final Duration SOON = Duration.ofDays(21);

  private final Where where;
  private final Clock clock;
  private final long idleMs;
  private final Consumer<ServerKeys> onChange;
  private final SslContextFactory.Server ssl = new SslContextFactory.Server();
  private final CountDownLatch closing = new CountDownLatch(1);
  private List<FileTime> seen = List.of();
  private volatile ServerKeys keys;
  private ServerConnector connector;

  /**
   * Reads or makes the certificate.
   *
   * @param home where one that is made is kept
   * @param idleMs how long a connection may give and take nothing
   * @param onChange told of the certificate whenever it changes
   * @throws IOException if the files can't be used
   */
  public SecureListener(
      Where where, Path home, Clock clock, long idleMs, Consumer<ServerKeys> onChange)
      throws IOException {
    this.where = where;
    this.clock = clock;
    this.idleMs = idleMs;
    this.onChange = onChange;
    seen = times();
    keys =
        where.files().isPresent()
            ? ofFiles(where.files().get())
            : ServerKeys.selfMade(home.resolve("certificate.p12"), "Barge Lane", names(where.at()));
    ssl.setIncludeProtocols("TLSv1.3", "TLSv1.2");
    ssl.setIncludeCipherSuites(
        "TLS_AES_.*", "TLS_CHACHA20_.*", "TLS_ECDHE_.*_GCM_.*", "TLS_ECDHE_.*_CHACHA20_.*");
    use(ssl);
    watchDates();
  }

  private static ServerKeys ofFiles(Pair files) throws IOException {
    return ServerKeys.ofFiles(files.certificate(), files.key());
  }

  private void use(SslContextFactory.Server factory) {
    factory.setKeyStore(keys.store());
    factory.setKeyStorePassword(ServerKeys.NO_PASSWORD);
    factory.setKeyManagerPassword(ServerKeys.NO_PASSWORD);
  }

  private static List<String> names(InetSocketAddress at) {
    List<String> names = new ArrayList<>(List.of("localhost", "127.0.0.1", "::1"));
    String own = "";
    try {
      own = InetAddress.getLocalHost().getHostName();
    } catch (UnknownHostException e) {
      log.debug("this host does not know its own name: {}", e.getMessage());
    }
    for (String more : List.of(own, at.getHostString())) {
      if (more.matches("[0-9A-Za-z.:-]+")
          && !names.contains(more)
          && !List.of("0.0.0.0", "::").contains(more)) {
        names.add(more);
      }
    }
    return names;
  }

  /** The connector of a server, not yet open. */
  Connector connector(Server server, HttpConfiguration http) {
    // Whom a program may trust it decides by fingerprint or authority, not by what it asked for.
    http.addCustomizer(new SecureRequestCustomizer(false, YEAR_SECONDS, false));
    HttpConnectionFactory plain = new HttpConnectionFactory(http);
    SslConnectionFactory secured = new SslConnectionFactory(ssl, plain.getProtocol());
    connector = new ServerConnector(server, new DetectorConnectionFactory(secured), plain);
    connector.setHost(where.at().getHostString());
    connector.setPort(where.at().getPort());
    connector.setIdleTimeout(idleMs);
    if (where.files().isPresent()) {
      Thread watcher = new Thread(this::watch, "certificate");
      watcher.setDaemon(true);
      watcher.start();
    }
    return connector;
  }

  /** The address for whoever is on this machine. */
  public String address() {
    String host = where.at().getHostString();
    String here =
        switch (host) {
          case "0.0.0.0" -> "127.0.0.1";
          case "::" -> "[::1]";
          default -> host.contains(":") ? "[" + host + "]" : host;
        };
    return "https://" + here + ":" + port();
  }

  /** The port that it got. */
  public int port() {
    return connector.getLocalPort();
  }

  /** The certificate that is shown. */
  public ServerKeys keys() {
    return keys;
  }

  private List<FileTime> times() {
    List<FileTime> times = new ArrayList<>();
    where
        .files()
        .ifPresent(
            f -> {
              for (Path file : List.of(f.certificate(), f.key())) {
                try {
                  times.add(Files.getLastModifiedTime(file));
                } catch (IOException e) {
                  times.add(FileTime.fromMillis(0));
                }
              }
            });
    return times;
  }

  /** Takes the files up when they change; a pair that can't be used changes nothing. */
  private void watch() {
    try {
      while (!closing.await(LOOK_SECONDS, TimeUnit.SECONDS)) {
        look();
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  synchronized void look() {
    List<FileTime> now = times();
    if (!now.equals(seen)) {
      seen = now;
      reload();
    }
  }

  private void reload() {
    try {
      ServerKeys fresh = ofFiles(where.files().orElseThrow());
      if (fresh.fingerprint().equals(keys.fingerprint())) {
        return;
      }
      ServerKeys before = keys;
      keys = fresh;
      try {
        ssl.reload(factory -> use((SslContextFactory.Server) factory));
      } catch (Exception e) {
        keys = before;
        throw new IOException(e.getMessage(), e);
      }
      log.info("The certificate is changed: its fingerprint is {}", keys.fingerprint());
      watchDates();
    } catch (IOException | RuntimeException e) {
      log.error(
          "The certificate is not changed, the one before is still shown: {}", e.getMessage());
      return;
    }
    try {
      onChange.accept(keys);
    } catch (RuntimeException e) {
      // Who waits for the next change must live on.
      log.error("The certificate is changed, and that can't be told here: {}", e.getMessage());
    }
  }

  private void watchDates() {
    Instant now = clock.instant();
    X509Certificate c = keys.certificate();
    Instant ends = c.getNotAfter().toInstant();
    try {
      c.checkValidity(java.util.Date.from(now));
      if (ends.isBefore(now.plus(SOON))) {
        log.warn("The certificate ends at {}: renew it before", ends);
      }
    } catch (CertificateException e) {
      log.error(
          "The certificate is not valid now: it lasts from {} to {}",
          c.getNotBefore().toInstant(),
          ends);
    }
  }

  @Override
  public void close() {
    closing.countDown();
  }
}
