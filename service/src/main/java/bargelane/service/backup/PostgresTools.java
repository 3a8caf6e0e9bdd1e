package bargelane.service.backup;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.Deque;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * A database, and PostgreSQL's own programs for it.
 *
 * @param url JDBC address, such as {@code jdbc:postgresql://127.0.0.1:5432/bargelane}
 */
public record PostgresTools(String url, String user, String password) {

  private static final Path INSTALLED = Path.of("/usr/lib/postgresql");
  private static final int LINES = 5;

  Connection connect() throws SQLException {
    return DriverManager.getConnection(url, user, password);
  }

  /** The newest of its programs that are installed here: they know all older servers. */
  private static String program(String name) {
    try (Stream<Path> versions = Files.list(INSTALLED)) {
      Optional<Path> newest =
          versions
              .filter(v -> Files.isExecutable(v.resolve("bin").resolve(name)))
              .max(
                  Comparator.comparing(
                      v -> v.getFileName().toString(),
                      Comparator.comparing(v -> Double.valueOf(v.replaceAll("[^0-9.]", "0")))));
      if (newest.isPresent()) {
        return newest.get().resolve("bin").resolve(name).toString();
      }
    } catch (IOException e) {
      // It may lie on the path.
    }
    return name;
  }

  /** A program that runs, what it says of failures kept aside. */
  static final class Running implements AutoCloseable {
    private final String name;
    private final Process process;
    private final Deque<String> said = new ArrayDeque<>();
    private final Thread listener;

    private Running(String name, Process process) {
      this.name = name;
      this.process = process;
      this.listener = new Thread(this::listen, name);
      listener.setDaemon(true);
      listener.start();
    }

    private void listen() {
      try (BufferedReader lines =
          new BufferedReader(
              new InputStreamReader(process.getErrorStream(), StandardCharsets.UTF_8))) {
        for (String line = lines.readLine(); line != null; line = lines.readLine()) {
          synchronized (said) {
            said.add(line);
            if (said.size() > LINES) {
              said.remove();
            }
          }
        }
      } catch (IOException e) {
        // It is gone.
      }
    }

    Process process() {
      return process;
    }

    /** Waits for its end, and fails with its words if it failed. */
    void done() throws IOException {
      try {
        int code = process.waitFor();
        listener.join();
        if (code != 0) {
          throw failed(code);
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new IOException("interrupted", e);
      }
    }

    private IOException failed(int code) {
      synchronized (said) {
        return new IOException(
            name + " failed with " + code + (said.isEmpty() ? "" : ": " + String.join("; ", said)));
      }
    }

    @Override
    public void close() {
      process.destroyForcibly();
    }
  }

  private Running start(String name, String... arguments) throws IOException {
    List<String> command = new ArrayList<>(List.of(program(name)));
    command.addAll(List.of(arguments));
    ProcessBuilder builder = new ProcessBuilder(command);
    Map<String, String> env = builder.environment();
    env.keySet().removeIf(k -> k.startsWith("PG"));
    URI at = URI.create(url.substring("jdbc:".length()));
    env.put("PGHOST", at.getHost());
    env.put("PGPORT", String.valueOf(at.getPort() < 0 ? 5432 : at.getPort()));
    env.put("PGDATABASE", at.getPath().substring(1));
    env.put("PGUSER", user);
    env.put("PGPASSWORD", password);
    env.put("PGCONNECT_TIMEOUT", "10");
    if (at.getQuery() != null) {
      for (String part : at.getQuery().split("&")) {
        if (part.startsWith("sslmode=")) {
          env.put("PGSSLMODE", part.substring("sslmode=".length()));
        } else if (part.startsWith("sslrootcert=")) {
          env.put("PGSSLROOTCERT", part.substring("sslrootcert=".length()));
        }
      }
    }
    try {
      return new Running(name, builder.start());
    } catch (IOException e) {
      throw new IOException(
          "PostgreSQL's program "
              + name
              + " can't be run: install the Debian package postgresql-client",
          e);
    }
  }

  /** Writes the database as it is in an exported snapshot to its output, in pg_dump's own form. */
  Running dump(String snapshot) throws IOException {
    return start(
        "pg_dump",
        "--format=custom",
        // Little larger than at 6, in a third of the time.
        "--compress=1",
        "--snapshot=" + snapshot,
        "--no-owner",
        "--no-privileges");
  }

  /** Reads what pg_dump wrote from its input, and writes the statements that make it again. */
  static Running script() throws IOException {
    return new PostgresTools("jdbc:postgresql://none/none", "", "")
        .start("pg_restore", "--no-owner", "--no-privileges", "--file=-");
  }

  /** Carries out statements from its input, up to the first that fails. */
  Running statements() throws IOException {
    return start("psql", "-X", "-q", "-v", "ON_ERROR_STOP=1", "--file=-");
  }
}
