package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * The packages are made, installed, used, upgraded and purged, as {@code packages.sh} says: in a
 * file system laid over this one, so that nothing of this machine changes.
 */
class PackagesTest {

  @TempDir static Path dir;

  private static final Path ROOT = Path.of(System.getProperty("user.dir")).getParent();

  private static int run(StringBuilder said, String... command)
      throws IOException, InterruptedException {
    Process p = new ProcessBuilder(command).redirectErrorStream(true).start();
    try (BufferedReader lines = p.inputReader()) {
      for (String line = lines.readLine(); line != null; line = lines.readLine()) {
        said.append(line).append('\n');
      }
      return p.waitFor();
    } finally {
      p.destroy();
    }
  }

  private static void made(String version, String... modules)
      throws IOException, InterruptedException {
    Path jars = Files.createDirectories(dir.resolve("jars"));
    for (String jar :
        ClassArchive.jars(
                System.getProperty(
                    "surefire.test.class.path", System.getProperty("java.class.path")))
            .split(java.io.File.pathSeparator)) {
      Path copy = jars.resolve(Path.of(jar).getFileName());
      if (!Files.exists(copy)) {
        Files.copy(Path.of(jar), copy);
      }
    }
    StringBuilder said = new StringBuilder();
    String out = dir.resolve(version).toString();
    assertEquals(
        0,
        run(
            said,
            Stream.concat(
                    Stream.of(
                        ROOT.resolve("scripts/package").toString(), jars.toString(), out, version),
                    Stream.of(modules))
                .toArray(String[]::new)),
        said.toString());
  }

  @Test
  void thePackagesAreInstalledUsedUpgradedAndPurged() throws IOException, InterruptedException {
    StringBuilder said = new StringBuilder();
    Path over = Files.createDirectories(dir.resolve("over"));
    String mounts =
        "set -e; mount -t tmpfs -o size=4g tmpfs "
            + over
            + "; cd "
            + over
            + "; mkdir upper work root;"
            + " mount -t overlay overlay -o lowerdir=/,upperdir=upper,workdir=work root;"
            + " mount -t proc proc root/proc; mount --rbind /dev root/dev; mount -t tmpfs tmpfs root/run;"
            + " mount -t tmpfs tmpfs root/tmp; busybox ip link set lo up";
    List<String> own = List.of("unshare", "-m", "-n", "-p", "--fork", "--kill-child", "sh", "-c");
    assumeTrue(
        run(said, command(own, mounts)) == 0,
        () -> "only root can lay one file system over another: " + said);
    made("0.1.0~1");
    made("0.1.0~2", "service");
    Path script = Path.of("src/test/resources/packages.sh").toAbsolutePath();
    int code =
        run(
            said,
            command(
                own,
                mounts
                    + "; mkdir root/tmp/old root/tmp/new; cp "
                    + dir
                    + "/0.1.0~1/*.deb root/tmp/old; cp "
                    + dir
                    + "/0.1.0~2/*.deb root/tmp/new; cp "
                    + script
                    + " root/tmp; exec chroot root bash /tmp/packages.sh /tmp/old /tmp/new"));
    assertEquals(0, code, said.toString());
    assertTrue(said.toString().endsWith("step: end\n"), said.toString());
  }

  private static String[] command(List<String> own, String script) {
    return Stream.concat(own.stream(), Stream.of(script)).toArray(String[]::new);
  }
}
