package bargelane.e2e;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/**
 * The homes of the database and of the simulated platforms as they are right after their first
 * start: the schema there, the disks of the demo estate filled. They are made once, each by the
 * program itself, and copied for every test, which saves each of them that work.
 */
final class FirstHomes {

  private final Path directory;

  FirstHomes(Path directory) {
    this.directory = directory;
  }

  /** Keeps the home of a part that is stopped. */
  void keep(String part, Path home) throws IOException {
    Files.createDirectories(directory);
    Harness.run(List.of("rm", "-rf", kept(part).toString()));
    copy(home, kept(part));
    // Another one takes ports of its own.
    for (String own : List.of("port", "address", "ready")) {
      Files.deleteIfExists(kept(part).resolve(own));
    }
  }

  /** Gives a part a home, if one is kept and it has none yet. */
  void give(String part, Path home) throws IOException {
    if (Files.exists(kept(part)) && !Files.exists(home)) {
      copy(kept(part), home);
    }
  }

  private Path kept(String part) {
    return directory.resolve(part);
  }

  /** With the holes of its files, and with the account that the database's files belong to. */
  private static void copy(Path from, Path to) throws IOException {
    Harness.run(List.of("cp", "-a", "--reflink=auto", from.toString(), to.toString()));
  }
}
