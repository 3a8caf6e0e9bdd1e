package bargelane.service.machine;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.flywaydb.core.api.MigrationVersion;
import org.flywaydb.core.api.migration.Context;
import org.flywaydb.core.api.migration.JavaMigration;

/** Stored filters of before said {@code ~}, {@code !~} and {@code in (…)}; now they say words. */
public final class FilterWordsMigration implements JavaMigration {

  /** What is in quotes stays as it is. */
  private static final Pattern PIECES =
      Pattern.compile(
          "'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|\\s*!~\\s*|\\s*~\\s*|(?i)(?<![\\w.:/@*-])in(?=\\s*\\()");

  @Override
  public MigrationVersion getVersion() {
    return MigrationVersion.fromVersion("10");
  }

  @Override
  public String getDescription() {
    return "filter words";
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
    Connection c = context.getConnection();
    for (String table : List.of("label_rule", "assessment")) {
      try (Statement read = c.createStatement();
          ResultSet rows = read.executeQuery("select id, filter from " + table);
          PreparedStatement write =
              c.prepareStatement("update " + table + " set filter = ? where id = ?")) {
        while (rows.next()) {
          write.setString(1, words(rows.getString(2)));
          write.setString(2, rows.getString(1));
          write.executeUpdate();
        }
      }
    }
  }

  /** A filter of before in the words of now. */
  static String words(String filter) {
    return PIECES
        .matcher(filter)
        .replaceAll(
            m ->
                Matcher.quoteReplacement(
                    switch (m.group().strip()) {
                      case "!~" -> " lacks ";
                      case "~" -> " has ";
                      default -> m.group().equalsIgnoreCase("in") ? "among" : m.group();
                    }));
  }
}
