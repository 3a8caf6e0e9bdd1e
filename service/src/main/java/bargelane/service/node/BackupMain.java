package bargelane.service.node;

import bargelane.service.backup.Backups;
import bargelane.service.backup.PostgresTools;
import bargelane.service.platform.Db;
import bargelane.tug.Settings;
import bargelane.tug.Tug;
import java.io.IOException;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.temporal.ChronoUnit;
import java.util.Optional;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** Backups of an installation, on the host of its database. */
@Command(
    name = "bargelane backup",
    description = "Backs an installation up, verifies a backup, and brings one back.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane backup create /var/backups/bargelane-monday.zip"})
public final class BackupMain implements Runnable {

  @Spec private CommandSpec spec;

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }

  /** Where the installation is. */
  static final class Installation {
    @Mixin Settings.Named settings;

    @Option(names = "--home", required = true, hidden = true)
    private Path home;

    @Option(names = "--database", required = true, hidden = true)
    private String database;

    @Option(names = "--database-user", defaultValue = "bargelane", hidden = true)
    private String user;

    @Option(names = "--database-password-file", required = true, hidden = true)
    private Path passwordFile;

    private PostgresTools tools() throws IOException {
      return new PostgresTools(database, user, Files.readString(passwordFile).strip());
    }

    private Backups backups() throws IOException {
      Files.createDirectories(home);
      return new Backups(tools(), home, Clock.systemUTC());
    }

    private int newestSchema() throws IOException {
      PostgresTools t = tools();
      return Db.newestSchema(t.url(), t.user(), t.password(), Entities.migrations());
    }
  }

  /** The passphrase of the keys in a backup. */
  static final class Passphrase {
    @Option(
        names = "--passphrase-file",
        paramLabel = "FILE",
        description = "File with the passphrase of the keys in the backup, 12 characters or more.")
    private Path file;

    private Optional<char[]> read() throws IOException {
      if (file == null) {
        return Optional.empty();
      }
      try {
        return Optional.of(Files.readString(file, StandardCharsets.UTF_8).strip().toCharArray());
      } catch (IOException e) {
        throw new IOException("the file " + file + " of --passphrase-file can't be read", e);
      }
    }
  }

  private static String told(Backups.Told t) {
    return "of "
        + t.madeAt().truncatedTo(ChronoUnit.SECONDS)
        + ", schema "
        + t.schema()
        + ": "
        + t.tables()
        + " tables, "
        + t.rows()
        + " rows, "
        + (t.keys() ? "with the keys, sealed" : "without the keys");
  }

  @Command(
      name = "create",
      description =
          "Writes what the database holds at one instant; the service may be running. With a passphrase, the keys too.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane backup create monday.zip --passphrase-file pass"})
  int create(
      @Mixin Installation at,
      @Mixin Passphrase passphrase,
      @Parameters(paramLabel = "FILE", description = "Where to write it.") Path file)
      throws IOException {
    Backups.Told t = at.backups().create(file, passphrase.read(), Tug.VERSION);
    PrintWriter out = spec.commandLine().getOut();
    out.println(file + " is a backup " + told(t) + ", " + Files.size(file) / 1024 + " KiB.");
    if (!t.keys()) {
      out.println(
          "Keep "
              + at.home.resolve("master-key")
              + " elsewhere: without it the credentials in the backup can't be opened.");
    }
    out.println("Verify it: bargelane backup verify " + file);
    out.flush();
    return 0;
  }

  @Command(
      name = "verify",
      description = "Reads a whole backup: its digests, every row of its tables, and its keys.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane backup verify monday.zip --passphrase-file pass"})
  int verify(
      @Mixin Passphrase passphrase,
      @Parameters(paramLabel = "FILE", description = "The backup.") Path file)
      throws IOException {
    Optional<char[]> given = passphrase.read();
    Backups.Told t = Backups.verify(file, given);
    PrintWriter out = spec.commandLine().getOut();
    out.println(file + " is whole: a backup " + told(t) + ".");
    if (t.keys() && given.isEmpty()) {
      out.println("Its keys were not opened: give --passphrase-file to try that too.");
    }
    out.flush();
    return 0;
  }

  @Command(
      name = "restore",
      description =
          "Brings an installation back into an empty home. What could change machines is held back until each wave is looked at.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane --home new backup restore monday.zip --passphrase-file pass"
      })
  int restore(
      @Mixin Installation at,
      @Mixin Passphrase passphrase,
      @Parameters(paramLabel = "FILE", description = "The backup.") Path file)
      throws IOException {
    Optional<char[]> given = passphrase.read();
    Backups.Told t = at.backups().restore(file, given, at.newestSchema());
    PrintWriter out = spec.commandLine().getOut();
    out.println("Restored from a backup " + told(t) + ".");
    int n = 1;
    if (given.isEmpty()) {
      out.println(
          n++
              + ". Put the installation's master key at "
              + at.home.resolve("master-key")
              + ", mode 600; agents know the service by agents.p12 beside it.");
    }
    out.println(n++ + ". See that the service that the backup was made of does not run any more.");
    out.println(n++ + ". Start: bargelane start");
    out.println(
        n++
            + ". For each wave: bargelane wave resume WAVE looks where its machines run, and lets it go on; its next pass compares every byte.");
    out.println(
        n
            + ". Look at bargelane account list and bargelane token list: what was taken away since the backup is back. Sessions are ended.");
    out.flush();
    return 0;
  }

  public static void main(String[] args) {
    System.exit(Settings.run(new BackupMain(), ServiceMain.class, args));
  }
}
