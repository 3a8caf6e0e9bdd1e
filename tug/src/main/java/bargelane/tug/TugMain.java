package bargelane.tug;

import bargelane.api.Trust;
import java.io.IOException;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

/** A tug in a process of its own, until it is told to end. */
@Command(
    name = "bargelane-tug",
    description = "Takes passes from a service and moves their bytes.",
    mixinStandardHelpOptions = true,
    version = Tug.VERSION,
    footer = {
      "",
      "Example:",
      "  bargelane-tug --service https://lanes.quillhaven.test:7070 --name quay-1 --token-file quay-1.token"
    })
public final class TugMain implements Callable<Integer> {

  private static final Logger log = LoggerFactory.getLogger(TugMain.class);
  private static final int MOST_AT_ONCE = 64;

  @Spec private CommandSpec spec;

  @Mixin Settings.Named settings;

  @Mixin Logs logs;

  @Option(
      names = "--service",
      paramLabel = "URL",
      required = true,
      description = "Address of the service.")
  private String service;

  @Option(
      names = "--name",
      paramLabel = "NAME",
      required = true,
      description = "This tug's name: the one that its token was made for.")
  private String name;

  @Option(
      names = "--token-file",
      paramLabel = "FILE",
      required = true,
      description = "File with its token, as bargelane token add --tug NAME prints it.")
  private Path tokenFile;

  @Option(
      names = "--fingerprint",
      paramLabel = "SHA-256",
      description = "Fingerprint of the service's certificate.")
  private String fingerprint;

  @Option(
      names = "--authority",
      paramLabel = "FILE",
      description =
          "Certificates of who signs the service's; without it and a fingerprint, this system's authorities.")
  private Path authority;

  @Option(
      names = "--passes",
      paramLabel = "COUNT",
      defaultValue = "2",
      description = "Passes at once (default: ${DEFAULT-VALUE}).")
  private String passes;

  @Option(
      names = "--connections",
      paramLabel = "COUNT",
      defaultValue = "2",
      description = "Connections a disk and side (default: ${DEFAULT-VALUE}).")
  private String connections;

  @Override
  public Integer call() throws IOException, InterruptedException {
    logs.open(spec);
    URI at = service();
    String token;
    try {
      token = Files.readString(tokenFile).strip();
    } catch (IOException e) {
      throw Settings.wrong(spec, "--token-file", "the file " + tokenFile + " can't be read");
    }
    Tug tug =
        new Tug(
            name,
            new HttpLeaseDesk(at, token, trust()),
            count("--passes", passes),
            count("--connections", connections));
    CountDownLatch over = new CountDownLatch(1);
    Runtime.getRuntime()
        .addShutdownHook(
            new Thread(
                () -> {
                  tug.close();
                  over.countDown();
                }));
    log.info("tug {} asks {} for passes", name, service);
    over.await();
    return 0;
  }

  private URI service() {
    URI at;
    try {
      at = URI.create(service);
    } catch (IllegalArgumentException e) {
      throw Settings.wrong(spec, "--service", "'" + service + "' is not an https address");
    }
    if (!"https".equals(at.getScheme()) || at.getHost() == null) {
      throw Settings.wrong(spec, "--service", "'" + service + "' is not an https address");
    }
    return at;
  }

  private Trust trust() throws IOException {
    if (fingerprint != null && authority != null) {
      throw Settings.wrong(spec, "--fingerprint", "give it or --authority, and not both");
    }
    try {
      return fingerprint != null
          ? Trust.pinned(fingerprint)
          : authority != null ? Trust.authority(authority) : Trust.system();
    } catch (IllegalArgumentException e) {
      throw Settings.wrong(spec, "--fingerprint", e.getMessage());
    }
  }

  private int count(String option, String text) {
    if (!text.matches("[0-9]{1,3}")
        || Integer.parseInt(text) < 1
        || Integer.parseInt(text) > MOST_AT_ONCE) {
      throw Settings.wrong(
          spec, option, "'" + text + "' is not a number from 1 to " + MOST_AT_ONCE);
    }
    return Integer.parseInt(text);
  }

  public static void main(String[] args) {
    System.exit(Settings.run(new TugMain(), TugMain.class, args));
  }
}
