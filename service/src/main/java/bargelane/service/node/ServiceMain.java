package bargelane.service.node;

import bargelane.service.guest.AgentListener;
import bargelane.service.http.SecureListener;
import bargelane.text.Durations;
import bargelane.tug.Logs;
import bargelane.tug.Settings;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** Runs one node of the service until it is told to end. */
@Command(
    name = "bargelane-service",
    description = "One node of Barge Lane.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane-service --config /etc/bargelane/service.yaml"})
public final class ServiceMain implements Callable<Integer> {

  private static final Duration SHORTEST_HISTORY = Duration.ofDays(30);
  private static final Duration SHORTEST_AUDIT = Duration.ofDays(90);

  @Spec private CommandSpec spec;

  @Mixin Settings.Named settings;

  @Mixin Logs logs;

  @Option(names = "--home", required = true, description = "Directory of its keys and addresses.")
  private Path home;

  @Option(
      names = "--listen",
      paramLabel = "HOST:PORT",
      defaultValue = "127.0.0.1:0",
      description =
          "Where to listen, always over TLS; port 0 for the last one or a free one (default: ${DEFAULT-VALUE}).")
  private String listen;

  @Option(
      names = "--certificate",
      paramLabel = "FILE",
      description =
          "Its certificate, then those that signed it (PEM); read again when it changes (default: one that it makes itself).")
  private Path certificate;

  @Option(
      names = "--certificate-key",
      paramLabel = "FILE",
      description = "The private key of the certificate (PEM, no passphrase).")
  private Path certificateKey;

  @Option(names = "--database", required = true, description = "JDBC address of PostgreSQL.")
  private String database;

  @Option(
      names = "--database-user",
      defaultValue = "bargelane",
      description = "Default: ${DEFAULT-VALUE}.")
  private String databaseUser;

  @Option(
      names = "--database-password-file",
      required = true,
      description = "File with the database user's password.")
  private Path databasePasswordFile;

  @Option(
      names = "--node",
      defaultValue = "node-1",
      description = "This node's name, the same through its restarts (default: ${DEFAULT-VALUE}).")
  private String node;

  @Option(
      names = "--tug",
      negatable = true,
      defaultValue = "true",
      fallbackValue = "true",
      description = "Whether this process moves bytes, as a tug does (default: ${DEFAULT-VALUE}).")
  private boolean withTug;

  @Option(
      names = "--agents",
      defaultValue = "127.0.0.1:0",
      description =
          "Host and port where agents in guests are listened to once a site wants them; port 0 for the last one or a free one (default: ${DEFAULT-VALUE}).")
  private String agents;

  @Option(
      names = "--agents-name",
      defaultValue = "",
      description = "Host and port by which guests reach it, where that is another.")
  private String agentsName;

  @Option(
      names = "--lease",
      defaultValue = "6s",
      description = "How long a tug's lease lasts without a report (default: ${DEFAULT-VALUE}).")
  private String lease;

  @Option(
      names = "--heartbeat",
      defaultValue = "2s",
      description =
          "How often this node shows that it lives; its work goes to another node after four that are missed (default: ${DEFAULT-VALUE}).")
  private String heartbeat;

  @Option(
      names = "--keep-history",
      defaultValue = "730d",
      description =
          "How long events, changes of machines and connections are kept, 30d at least (default: ${DEFAULT-VALUE}).")
  private String keepHistory;

  @Option(
      names = "--keep-audit",
      defaultValue = "forever",
      description =
          "How long entries of the audit are kept, 90d at least, or forever (default: ${DEFAULT-VALUE}).")
  private String keepAudit;

  @Option(
      names = "--shortest-period",
      defaultValue = "5s",
      description =
          "The least time between two passes that a timetable may ask for (default: ${DEFAULT-VALUE}).")
  private String shortestPeriod;

  @Override
  public Integer call() throws Exception {
    logs.open(spec);
    String password = password();
    if (!Files.isDirectory(home)) {
      Files.createDirectories(home);
    }
    BargeLane service =
        new BargeLane(
            new BargeLane.Options(
                home,
                listen(),
                database,
                databaseUser,
                password,
                node,
                withTug,
                agents(),
                pace(),
                new BargeLane.Kept(history(), audit())),
            Clock.systemUTC());
    CountDownLatch over = new CountDownLatch(1);
    Runtime.getRuntime()
        .addShutdownHook(
            new Thread(
                () -> {
                  service.close();
                  over.countDown();
                }));
    Files.writeString(home.resolve("ready"), ProcessHandle.current().pid() + "\n");
    over.await();
    return 0;
  }

  private String password() {
    try {
      return Files.readString(databasePasswordFile).strip();
    } catch (IOException e) {
      throw Settings.wrong(
          spec,
          "--database-password-file",
          "the file " + databasePasswordFile + " can't be read: give one with the password alone");
    }
  }

  private Duration history() {
    Duration asked = duration("--keep-history", keepHistory);
    if (asked.compareTo(SHORTEST_HISTORY) < 0) {
      throw Settings.wrong(
          spec, "--keep-history", "'" + keepHistory + "' is too short: give 30d or more");
    }
    return asked;
  }

  private Optional<Duration> audit() {
    if (keepAudit.equals("forever")) {
      return Optional.empty();
    }
    Duration asked = duration("--keep-audit", keepAudit);
    if (asked.compareTo(SHORTEST_AUDIT) < 0) {
      throw Settings.wrong(
          spec, "--keep-audit", "'" + keepAudit + "' is too short: give 90d or more, or forever");
    }
    return Optional.of(asked);
  }

  private Pace pace() {
    try {
      return new Pace(
          duration("--lease", lease),
          duration("--heartbeat", heartbeat),
          duration("--shortest-period", shortestPeriod));
    } catch (IllegalArgumentException e) {
      throw Settings.wrong(spec, "--lease", e.getMessage());
    }
  }

  private Duration duration(String option, String text) {
    try {
      return Durations.parse(text);
    } catch (IllegalArgumentException e) {
      throw Settings.wrong(spec, option, e.getMessage());
    }
  }

  private AgentListener.Where agents() {
    return new AgentListener.Where(hostAndPort("--agents", agents), agentsName);
  }

  private SecureListener.Where listen() throws IOException {
    if ((certificate == null) != (certificateKey == null)) {
      throw Settings.wrong(
          spec,
          certificate == null ? "--certificate-key" : "--certificate",
          "certificate and certificate-key go together: give both");
    }
    InetSocketAddress at = hostAndPort("--listen", listen);
    Path address = home.resolve("address");
    if (at.getPort() == 0 && Files.exists(address)) {
      String last = Files.readString(address).strip();
      int port = Integer.parseInt(last.substring(last.lastIndexOf(':') + 1));
      at = InetSocketAddress.createUnresolved(at.getHostString(), free(at.getHostString(), port));
    }
    return new SecureListener.Where(
        at, Optional.ofNullable(certificate).map(c -> new SecureListener.Pair(c, certificateKey)));
  }

  private InetSocketAddress hostAndPort(String option, String text) {
    int colon = text.lastIndexOf(':');
    String host = colon < 1 ? "" : text.substring(0, colon).replaceAll("^\\[(.*)]$", "$1");
    String port = text.substring(colon + 1);
    if (host.isEmpty() || !port.matches("[0-9]{1,5}") || Integer.parseInt(port) > 65535) {
      throw Settings.wrong(spec, option, "'" + text + "' is not a HOST:PORT");
    }
    return InetSocketAddress.createUnresolved(host, Integer.parseInt(port));
  }

  /** The port, or 0 for any if somebody else has taken it meanwhile. */
  private static int free(String host, int wanted) {
    try (ServerSocket probe = new ServerSocket()) {
      probe.setReuseAddress(true);
      probe.bind(new InetSocketAddress(host, wanted));
      return wanted;
    } catch (IOException e) {
      return 0;
    }
  }

  public static void main(String[] args) {
    System.exit(Settings.run(new ServiceMain(), ServiceMain.class, args));
  }
}
