package bargelane.service.guest;

import bargelane.blocks.tls.ServerKeys;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.ProblemException;
import io.javalin.Javalin;
import io.javalin.http.Context;
import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.List;
import org.eclipse.jetty.server.HttpConfiguration;
import org.eclipse.jetty.server.HttpConnectionFactory;
import org.eclipse.jetty.server.SecureRequestCustomizer;
import org.eclipse.jetty.server.ServerConnector;
import org.eclipse.jetty.server.SslConnectionFactory;
import org.eclipse.jetty.util.ssl.SslContextFactory;
import org.eclipse.jetty.util.thread.QueuedThreadPool;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Where agents come to, over TLS and apart from the API: their installer, their package, enrolment
 * and reports, nothing else. It opens when the first site wants agents. What agents say is plain
 * text, and so are the answers.
 */
public final class AgentListener implements Closeable {

  /**
   * Where to listen.
   *
   * @param at host and port; port 0 for the last one or a free one
   * @param name host and port by which machines reach it; empty for the same
   */
  public record Where(InetSocketAddress at, String name) {}

  private static final Logger log = LoggerFactory.getLogger(AgentListener.class);

  /** The architectures that a build makes packages for: the one it runs on. */
  private static final String PACKAGES = "/bargelane/agent/package/";

  private static final int LARGEST_ENROLMENT = 4096;
  private static final int LARGEST_REPORT = 20 << 20;
  private static final int THREADS = 40;

  private final Path home;
  private final Where where;
  private final AgentDesk desk;
  private final Pace pace = new Pace();
  private Javalin http;
  private String installer;
  private String line;

  public AgentListener(Path home, Where where, AgentDesk desk) {
    this.home = home;
    this.where = where;
    this.desk = desk;
  }

  private record Package(String name, String digest) {}

  /** The package that this build brought along. */
  private static Package ours() throws IOException {
    String name = "linux-" + architecture() + ".tar.gz";
    try (InputStream in = AgentListener.class.getResourceAsStream(PACKAGES + name)) {
      if (in == null) {
        throw new IOException("this build has no package of the agent for " + architecture());
      }
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      byte[] block = new byte[1 << 16];
      for (int n = in.read(block); n >= 0; n = in.read(block)) {
        sha.update(block, 0, n);
      }
      return new Package(name, HexFormat.of().formatHex(sha.digest()));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /** As uname(1) tells it. */
  private static String architecture() {
    String arch = System.getProperty("os.arch");
    return arch.equals("amd64") ? "x86_64" : arch;
  }

  /** Opens, if it is not open; gives the line to paste for a key. */
  public synchronized String line(String key) {
    open();
    return line.replace("@KEY@", key);
  }

  /** Opens, if it is not open. */
  public synchronized void open() {
    if (http != null) {
      return;
    }
    try {
      ServerKeys certificate =
          ServerKeys.selfMade(home.resolve("agents.p12"), "Barge Lane", List.of());
      Package made = ours();
      Path remembered = home.resolve("agents-port");
      int port = where.at().getPort();
      if (port == 0 && Files.exists(remembered)) {
        port = Integer.parseInt(Files.readString(remembered).strip());
      }
      ServerConnector[] connector = new ServerConnector[1];
      start(certificate, port, connector);
      int got = connector[0].getLocalPort();
      Files.writeString(remembered, got + "\n");
      String name = where.name().isEmpty() ? named(where.at(), got) : where.name();
      try (InputStream in = AgentListener.class.getResourceAsStream("install.sh")) {
        installer =
            new String(in.readAllBytes(), StandardCharsets.UTF_8)
                .replace("@SERVICE@", "https://" + name)
                .replace("@PIN@", certificate.keyPin())
                .replace("@PACKAGE@", made.name())
                .replace("@SUM@", made.digest());
      }
      line =
          "curl -fsS -k --pinnedpubkey 'sha256//"
              + certificate.keyPin()
              + "' https://"
              + name
              + "/install | BARGELANE_KEY=@KEY@ sh";
      log.info("Agents are listened to at https://{}", name);
    } catch (IOException e) {
      throw ProblemException.conflict(
          "agents-not-listened-to",
          "agents can't be listened to at " + where.at() + ": " + e.getMessage(),
          "see docs/sites.md for --agents, and whether something else has that port");
    }
  }

  private static String named(InetSocketAddress at, int port) {
    String host = at.getHostString();
    return (host.contains(":") ? "[" + host + "]" : host) + ":" + port;
  }

  private void start(ServerKeys certificate, int port, ServerConnector[] connector)
      throws IOException {
    SslContextFactory.Server ssl = new SslContextFactory.Server();
    ssl.setSslContext(certificate.context());
    try {
      http =
          Javalin.create(
                  config -> {
                    config.startup.showJavalinBanner = false;
                    config.jetty.threadPool = new QueuedThreadPool(THREADS, 2);
                    config.jetty.addConnector(
                        (server, settings) -> {
                          // Who comes knows us by our key, not by a name.
                          HttpConfiguration plain = new HttpConfiguration();
                          plain.setSendServerVersion(false);
                          plain.addCustomizer(new SecureRequestCustomizer(false));
                          connector[0] =
                              new ServerConnector(
                                  server,
                                  new SslConnectionFactory(ssl, "http/1.1"),
                                  new HttpConnectionFactory(plain));
                          connector[0].setHost(where.at().getHostString());
                          connector[0].setPort(port);
                          return connector[0];
                        });
                    var r = config.routes;
                    r.exception(
                        ProblemException.class,
                        (e, ctx) ->
                            ctx.status(e.status())
                                .contentType("text/plain; charset=utf-8")
                                .result(
                                    e.code() + ": " + e.getMessage() + ". " + e.remedy() + "\n"));
                    r.exception(
                        Exception.class,
                        (e, ctx) -> {
                          log.error("{} {} of an agent failed", ctx.method(), ctx.path(), e);
                          ctx.status(500).result("the service failed; its log has the cause\n");
                        });
                    r.get("/install", ctx -> ctx.contentType("text/plain").result(installer));
                    r.get("/package/{name}", AgentListener::hand);
                    r.post(
                        "/enrol",
                        ctx ->
                            answer(
                                ctx, "agent " + desk.enrol(body(ctx, LARGEST_ENROLMENT)) + "\n"));
                    r.post("/report", this::report);
                  })
              .start();
    } catch (RuntimeException e) {
      http = null;
      throw new IOException(e.getMessage(), e);
    }
  }

  private static void answer(Context ctx, String text) {
    ctx.contentType("text/plain; charset=utf-8").result(text);
  }

  private void report(Context ctx) throws IOException {
    String header = ctx.header("Authorization");
    // Who it is comes first: of a stranger nothing is read.
    String agent =
        desk.agent(header != null && header.startsWith("Bearer ") ? header.substring(7) : "");
    pace.comes(agent);
    answer(ctx, desk.report(agent, body(ctx, LARGEST_REPORT)));
  }

  private static String body(Context ctx, int largest) throws IOException {
    byte[] bytes = ctx.bodyInputStream().readNBytes(largest + 1);
    if (bytes.length > largest) {
      throw new ProblemException(
          413,
          "too-long",
          "the agent's report is longer than " + largest + " bytes",
          "install it anew");
    }
    return new String(bytes, StandardCharsets.UTF_8);
  }

  private static void hand(Context ctx) {
    String name = ctx.pathParam("name");
    InputStream in =
        name.matches("linux-[a-z0-9_]+[.]tar[.]gz")
            ? AgentListener.class.getResourceAsStream(PACKAGES + name)
            : null;
    if (in == null) {
      throw new ProblemException(
          404,
          "package-unknown",
          "there is no package of the agent '" + name.replaceAll("[^A-Za-z0-9._-]", "?") + "'",
          Remedy.of("read this machine over SSH", Action.SERVER_ADD));
    }
    ctx.contentType("application/gzip").result(in);
  }

  @Override
  public synchronized void close() {
    if (http != null) {
      http.stop();
      http = null;
    }
  }
}
