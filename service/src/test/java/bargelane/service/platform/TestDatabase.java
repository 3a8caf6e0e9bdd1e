package bargelane.service.platform;

import bargelane.service.node.Entities;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Comparator;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;

/**
 * A database of a test's own in a real PostgreSQL. The server is started once for all tests of one
 * JVM and ends with it; its schema is brought up to date once, in a template that each test's
 * database is a copy of.
 */
public final class TestDatabase implements AutoCloseable {

  private static final AtomicInteger NUMBER = new AtomicInteger();
  private static Server server;

  public final String url;
  public final String password;
  private final String name;

  public TestDatabase() throws IOException {
    Server one = server();
    name = "test_" + NUMBER.incrementAndGet();
    one.execute("create database " + name + " template migrated");
    url = one.url(name);
    password = one.password;
  }

  private static synchronized Server server() throws IOException {
    if (server == null) {
      server = new Server();
      server.execute("create database migrated");
      new Db(
              server.url("migrated"),
              "bargelane",
              server.password,
              Entities.ALL,
              Entities.migrations())
          .close();
    }
    return server;
  }

  /** Opens it as the service does. */
  public Db db() {
    return new Db(url, "bargelane", password, Entities.ALL, Entities.migrations());
  }

  @Override
  public void close() throws IOException {
    server().execute("drop database " + name + " with (force)");
  }

  private static final class Server {
    final String password;
    private final String url;
    private final Path script;
    private final Path dir;

    Server() throws IOException {
      Path at = Path.of("").toAbsolutePath();
      while (!Files.exists(at.resolve("scripts/postgres"))) {
        at = at.getParent();
      }
      script = at.resolve("scripts/postgres");
      dir = Files.createTempDirectory("bargelane-db");
      Files.setPosixFilePermissions(dir, PosixFilePermissions.fromString("rwxr-xr-x"));
      Runtime.getRuntime().addShutdownHook(new Thread(this::remove));
      url = run("start");
      password = Files.readString(dir.resolve("password")).strip();
    }

    String url(String database) {
      return url.replaceAll("/postgres$", "/" + database);
    }

    void execute(String sql) throws IOException {
      try (Connection c = DriverManager.getConnection(url, "bargelane", password);
          Statement s = c.createStatement()) {
        s.execute(sql);
      } catch (SQLException e) {
        throw new IOException(e);
      }
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

    private void remove() {
      try {
        run("remove");
        try (Stream<Path> all = Files.walk(dir)) {
          for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
            Files.delete(path);
          }
        }
      } catch (IOException e) {
        System.err.println(dir + " stays: " + e.getMessage());
      }
    }
  }
}
