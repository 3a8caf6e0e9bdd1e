package bargelane.standins.host;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * The small machines that {@code scripts/small-machine} builds, kept in the checkout's target, and
 * stock guests.
 */
public final class SmallMachines {

  private SmallMachines() {}

  /** The checkout: the directory above us that has the launcher. */
  private static Path root() throws IOException {
    String told = System.getProperty("bargelane.root");
    for (Path at = Path.of(told == null ? "" : told).toAbsolutePath();
        at != null;
        at = at.getParent()) {
      if (Files.isExecutable(at.resolve("scripts/small-machine"))) {
        return at;
      }
    }
    throw new IOException("scripts/small-machine is not to be found from here");
  }

  private static Path build(String what) throws IOException {
    Path dir = root().resolve("target/small-machines");
    run(script("small-machine"), what, dir.toString());
    return dir;
  }

  private static Path script(String name) throws IOException {
    return root().resolve("scripts").resolve(name);
  }

  private static void run(Path script, String... arguments) throws IOException {
    List<String> command = new ArrayList<>();
    command.add(script.toString());
    command.addAll(List.of(arguments));
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    process.getOutputStream().close();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (process.waitFor() != 0) {
        throw new IOException("a machine could not be built: " + out.strip());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /**
   * Installs a stock guest by {@code scripts/stock-guest} in a directory, unless it is there.
   *
   * @param name what it is made of, as the script says
   */
  public static DemoGuest stock(Path dir, String name, int port) throws IOException {
    Path image = dir.resolve(name + ".raw");
    // What was installed by an earlier form of the script is installed again.
    if (Files.notExists(image)
        || Files.getLastModifiedTime(image)
                .compareTo(Files.getLastModifiedTime(script("stock-guest")))
            < 0) {
      run(script("stock-guest"), dir.toString(), name);
    }
    Path vars = dir.resolve(name + ".vars");
    return new DemoGuest(
        name,
        List.of(image),
        "qcow2",
        List.of(new DemoGuest.Card("10.20.1.0/24", "10.20.1.21")),
        port,
        512,
        Files.exists(vars) ? Optional.of(vars) : Optional.empty());
  }

  /** Builds the guest if need be; gives the directory of its disks. */
  public static Path guest() throws IOException {
    return build("guest");
  }

  /** The guest's disks in boot order. */
  public static List<Path> guestDisks() throws IOException {
    Path dir = guest();
    return List.of(dir.resolve("guest-system.img"), dir.resolve("guest-data.img"));
  }

  /** Builds the yard if need be; gives the directory of its kernel and initramfs. */
  public static Path yard() throws IOException {
    return build("yard");
  }

  /** Makes a directory with a short name that other accounts can enter. */
  public static Path shortDirectory() throws IOException {
    Path dir = Files.createTempDirectory(Path.of("/tmp"), "bl");
    return Files.setPosixFilePermissions(dir, PosixFilePermissions.fromString("rwxr-xr-x"));
  }

  /** Deletes a directory with all that is in it. */
  public static void delete(Path tree) throws IOException {
    try (Stream<Path> all = Files.walk(tree)) {
      for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
        Files.deleteIfExists(path);
      }
    }
  }
}
