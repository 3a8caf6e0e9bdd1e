package bargelane.service.platform;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;

/** The nodes that live on a database: each holds a lock of it, shared with the others. */
public final class Nodes {

  /** The name of the lock that every node holds while it lives. */
  public static final String LIVE = "nodes";

  private Nodes() {}

  /** How many live. */
  public static long live(Connection connection) throws SQLException {
    try (PreparedStatement held =
        connection.prepareStatement(
            "select count(*) from pg_locks where locktype = 'advisory' and mode = 'ShareLock' and granted"
                + " and database = (select oid from pg_database where datname = current_database())"
                + " and ((classid::bigint << 32) | objid::bigint) = hashtextextended(?, 0)")) {
      held.setString(1, LIVE);
      try (ResultSet r = held.executeQuery()) {
        r.next();
        return r.getLong(1);
      }
    }
  }
}
