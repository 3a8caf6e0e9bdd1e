package bargelane.service;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.stream.Stream;

/** A PostgreSQL of a test's own, started as the launcher starts it. */
public final class TestDatabase implements AutoCloseable {

  public final String url;
  public final String password;
  private final Path script;
  private final Path dir;

  public TestDatabase() throws IOException {
    Path at = Path.of("").toAbsolutePath();
    while (!Files.exists(at.resolve("scripts/postgres"))) {
      at = at.getParent();
    }
    script = at.resolve("scripts/postgres");
    dir = Files.createTempDirectory("bargelane-db");
    Files.setPosixFilePermissions(dir, PosixFilePermissions.fromString("rwxr-xr-x"));
    url = run("start");
    password = Files.readString(dir.resolve("password")).strip();
  }

  private String run(String verb) throws IOException {
    Process p =
        new ProcessBuilder(script.toString(), verb, dir.toString())
            .redirectError(ProcessBuilder.Redirect.INHERIT)
            .start();
    String out = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
    try {
      if (p.waitFor() != 0) {
        throw new IOException("scripts/postgres " + verb + " failed");
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
    return out;
  }

  @Override
  public void close() throws IOException {
    run("remove");
    try (Stream<Path> all = Files.walk(dir)) {
      for (Path path : all.sorted(java.util.Comparator.reverseOrder()).toList()) {
        Files.delete(path);
      }
    }
  }
}
