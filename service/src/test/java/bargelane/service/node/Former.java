package bargelane.service.node;

import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.io.InputStream;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.zip.GZIPInputStream;

/**
 * Databases that former versions left: each is a dump ({@code schemas/vN.sql.gz}, with the master
 * key of its home) of the demo estate with a loaded wave, made by the version whose schema was N.
 * Of tables that are long a few rows are in it.
 */
final class Former {

  /** Of a test whose node begins with such a database. */
  @Retention(RetentionPolicy.RUNTIME)
  @interface Data {
    int schema();
  }

  private Former() {}

  /** Replaces what is in a database, and puts the master key into a home. */
  static void into(TestDatabase database, Path home, int schema) throws IOException {
    try (Connection connection =
            DriverManager.getConnection(database.url, "bargelane", database.password);
        Statement sql = connection.createStatement()) {
      sql.execute("drop schema public cascade; create schema public");
    } catch (SQLException e) {
      throw new IOException(e);
    }
    String address = database.url.replaceFirst("^jdbc:postgresql", "postgresql");
    ProcessBuilder psql =
        new ProcessBuilder("psql", "-q", "-v", "ON_ERROR_STOP=1", "-U", "bargelane", address)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.DISCARD);
    psql.environment().put("PGPASSWORD", database.password);
    Process loading = psql.start();
    try (InputStream dump = new GZIPInputStream(part(schema, "sql.gz"))) {
      dump.transferTo(loading.getOutputStream());
      loading.getOutputStream().close();
      if (loading.waitFor() != 0) {
        throw new IOException("the dump of schema " + schema + " is not loaded");
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
    try (InputStream key = part(schema, "master-key")) {
      Files.write(home.resolve("master-key"), key.readAllBytes());
    }
  }

  private static InputStream part(int schema, String kind) {
    return Former.class.getResourceAsStream("/schemas/v" + schema + "." + kind);
  }
}
