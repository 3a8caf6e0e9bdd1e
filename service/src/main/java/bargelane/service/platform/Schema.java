package bargelane.service.platform;

import java.io.IOException;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.Arrays;
import java.util.concurrent.TimeUnit;
import javax.sql.DataSource;
import org.flywaydb.core.Flyway;
import org.flywaydb.core.api.MigrationInfo;
import org.flywaydb.core.api.MigrationInfoService;
import org.flywaydb.core.api.migration.JavaMigration;

/** The database's schema, which Flyway brings from version to version. */
final class Schema {

  /** A node that was just killed may be seen for a moment. */
  private static final long PATIENCE_NS = TimeUnit.SECONDS.toNanos(10);

  private static final long AGAIN_MS = 200;

  private Schema() {}

  /**
   * Brings it to the version of this program.
   *
   * @throws IOException if it is of a newer program, or nodes of an older one still run on it: then
   *     nothing is changed
   */
  static void bring(DataSource source, JavaMigration... migrations) throws IOException {
    Flyway flyway = Flyway.configure().dataSource(source).javaMigrations(migrations).load();
    MigrationInfoService info = flyway.info();
    MigrationInfo[] all = info.all();
    int known =
        Arrays.stream(all)
            .filter(m -> m.getState().isResolved() && m.getVersion() != null)
            .mapToInt(Schema::version)
            .max()
            .orElse(0);
    int there =
        Arrays.stream(info.applied())
            .filter(m -> m.getVersion() != null)
            .mapToInt(Schema::version)
            .max()
            .orElse(0);
    if (there > known) {
      throw new IOException(
          "the database is of a newer version (its schema is "
              + there
              + ", this program knows "
              + known
              + "): install that version again, or restore the backup that was made before it");
    }
    if (there > 0 && info.pending().length > 0) {
      alone(source, there, known);
    }
    flyway.migrate();
  }

  private static int version(MigrationInfo migration) {
    return migration.getVersion().getMajor().intValue();
  }

  private static void alone(DataSource source, int there, int known) throws IOException {
    long until = System.nanoTime() + PATIENCE_NS;
    try (Connection connection = source.getConnection()) {
      for (long live = Nodes.live(connection); live > 0; live = Nodes.live(connection)) {
        if (System.nanoTime() > until) {
          throw new IOException(
              live
                  + (live == 1 ? " node runs" : " nodes run")
                  + " on this database with a former version (schema "
                  + there
                  + ", this program's is "
                  + known
                  + "): stop every node, start one of this version, then the others");
        }
        TimeUnit.MILLISECONDS.sleep(AGAIN_MS);
      }
    } catch (SQLException e) {
      throw new IOException("the database can't be used: " + e.getMessage(), e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }
}
