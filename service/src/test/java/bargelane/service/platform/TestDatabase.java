package bargelane.service.platform;

import bargelane.service.node.Entities;
import com.zaxxer.hikari.HikariDataSource;
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
import java.util.Deque;
import java.util.concurrent.ConcurrentLinkedDeque;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;

/**
 * A database of a test's own in a real PostgreSQL. The server is started once for all tests of one
 * JVM and ends with it; its schema is brought up to date once, in a template that each database is
 * a copy of. A database that a test is done with is emptied for the next one.
 */
public final class TestDatabase implements AutoCloseable {

  private static final AtomicInteger NUMBER = new AtomicInteger();
  private static final Deque<TestDatabase> IDLE = new ConcurrentLinkedDeque<>();
  private static Server server;

  public final String url;
  public final String password;
  private final String name;
  private Db db;

  private TestDatabase() throws IOException {
    Server one = server();
    name = "test_" + NUMBER.incrementAndGet();
    one.execute("create database " + name + " template migrated owner bargelane");
    url = one.url(name);
    password = one.password;
  }

  /** An empty database with a schema that is up to date, open as the service opens it. */
  public static TestDatabase open() throws IOException {
    TestDatabase database = IDLE.poll();
    if (database == null) {
      database = new TestDatabase();
      database.db = database.connect();
    }
    return database;
  }

  /** A database whose schema the test changes; nobody else gets it. */
  public static TestDatabase apart() throws IOException {
    return new TestDatabase();
  }

  private static synchronized Server server() throws IOException {
    if (server == null) {
      server = new Server();
      server.execute("create database migrated owner bargelane");
      // The tests' own: emptying tables at once, and changing what may not be changed.
      server.execute("grant set on parameter session_replication_role to bargelane");
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

  /** What the test works with; it is closed with the tests. */
  public Db db() {
    return db;
  }

  /** Opens it as the service does. */
  public Db connect() throws IOException {
    return new Db(url, "bargelane", password, Entities.ALL, Entities.migrations());
  }

  @Override
  public void close() throws IOException {
    if (db == null) {
      server().execute("drop database " + name + " with (force)");
      return;
    }
    int busy = ((HikariDataSource) db.dataSource()).getHikariPoolMXBean().getActiveConnections();
    if (busy > 0) {
      throw new IllegalStateException(busy + " connections are in use after the test");
    }
    db.run(s -> s.createNativeMutationQuery(EMPTY).executeUpdate());
    IDLE.push(this);
  }

  /** Deletes every row and begins every sequence anew. */
  private static final String EMPTY =
      """
      do $$
      declare
        one text;
      begin
        set local session_replication_role = replica;
        for one in select tablename from pg_tables
            where schemaname = 'public' and tablename <> 'flyway_schema_history' loop
          execute format('delete from %I', one);
        end loop;
        for one in select sequencename from pg_sequences where schemaname = 'public' loop
          execute format('alter sequence %I restart', one);
        end loop;
      end $$""";

  private static final class Server {
    final String password;
    private final String adminPassword;
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
      adminPassword = Files.readString(dir.resolve("admin-password")).strip();
    }

    String url(String database) {
      return url.replaceAll("/[^/]*$", "/" + database);
    }

    void execute(String sql) throws IOException {
      try (Connection c = DriverManager.getConnection(url("postgres"), "postgres", adminPassword);
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
