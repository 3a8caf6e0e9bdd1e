package bargelane.standins;

import bargelane.standins.provider.IdentityProvider;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.List;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Runs one simulated platform until it is told to end. */
@Command(
    name = "standin",
    description = "A simulated platform on loopback.",
    mixinStandardHelpOptions = true)
public final class StandinMain implements Callable<Integer> {

  @Option(
      names = "--seed",
      required = true,
      description = "Name of a shipped seed (estate, cloud, fenwater), or a YAML file.")
  private String seed;

  @Option(
      names = "--machines",
      description =
          "Add made-up machines up to this number when the platform is made; their disks get bytes when they are needed.")
  private int machines;

  @Option(names = "--home", required = true, description = "Directory of its state.")
  private Path home;

  @Option(
      names = "--runtime",
      required = true,
      description = "Short directory for the disk server's socket.")
  private Path runtime;

  @Option(
      names = "--port",
      description = "Port of the control interface (default: the last one, or a free one).")
  private int port;

  @Option(
      names = "--tls",
      description = "Serve disks over TLS on loopback instead of a Unix socket.")
  private boolean tls;

  @Option(
      names = "--identities",
      description = "Also an identity provider with made-up people, for the service 'lane' here.")
  private boolean identities;

  /** Whom people may sign in as, for as long as this runs. */
  private void signIn() throws IOException {
    Path own = Files.createDirectories(home.resolve("identities"));
    Path last = own.resolve("address");
    int lastPort = 0;
    if (Files.exists(last)) {
      String address = Files.readString(last).strip();
      lastPort = Integer.parseInt(address.substring(address.lastIndexOf(':') + 1));
    }
    IdentityProvider provider =
        new IdentityProvider(
            own,
            lastPort,
            List.of(
                new IdentityProvider.Person("ada", List.of("crew")),
                new IdentityProvider.Person("ann", List.of("lending-owners")),
                new IdentityProvider.Person("rex", List.of("watch")),
                new IdentityProvider.Person("kit", List.of())));
    provider.serves(
        new IdentityProvider.Client(
            "lane", "lane-demo", "https://127.0.0.1:0/api/v1/sign-in/return"));
    Files.writeString(own.resolve("authority.pem"), provider.authority());
    Files.writeString(last, provider.issuer() + "\n");
  }

  @Override
  public Integer call() throws Exception {
    Path addressFile = home.resolve("address");
    if (port == 0 && Files.exists(addressFile)) {
      String last = Files.readString(addressFile).strip();
      port = Integer.parseInt(last.substring(last.lastIndexOf(':') + 1));
    }
    StandinServer server = StandinServer.start(seed, machines, home, runtime, port, tls);
    if (identities) {
      signIn();
    }
    Path fresh = home.resolve("address.new");
    Files.writeString(fresh, server.address() + "\n");
    Files.move(
        fresh, addressFile, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    Files.writeString(home.resolve("ready"), ProcessHandle.current().pid() + "\n");
    CountDownLatch over = new CountDownLatch(1);
    Runtime.getRuntime()
        .addShutdownHook(
            new Thread(
                () -> {
                  try {
                    server.close();
                  } catch (Exception e) {
                    System.err.println("closing: " + e);
                  }
                  over.countDown();
                }));
    over.await();
    return 0;
  }

  public static void main(String[] args) {
    System.exit(new CommandLine(new StandinMain()).execute(args));
  }
}
