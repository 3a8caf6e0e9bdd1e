package bargelane.service.usage;

import java.sql.SQLException;
import org.flywaydb.core.api.MigrationVersion;
import org.flywaydb.core.api.migration.Context;
import org.flywaydb.core.api.migration.JavaMigration;

/** Digests the days of use that were stored before version 7 of the schema. */
public final class DigestMigration implements JavaMigration {

  @Override
  public MigrationVersion getVersion() {
    return MigrationVersion.fromVersion("8");
  }

  @Override
  public String getDescription() {
    return "digest usage";
  }

  @Override
  public Integer getChecksum() {
    return null;
  }

  @Override
  public boolean canExecuteInTransaction() {
    return true;
  }

  @Override
  public void migrate(Context context) throws SQLException {
    UsageDigests.catchUp(context.getConnection());
  }
}
