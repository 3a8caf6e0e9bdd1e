package bargelane.service.platform;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;

/** The nodes that live on a database: each holds a lock of it, shared with the others. */
public final class Nodes {

  /** The name of the lock that every node holds while it lives. */
  public static final String LIVE = "nodes";

  /** A node that was not heard of for so long is silent: it shows itself three times meanwhile. */
  public static final Duration SILENT = Duration.ofSeconds(15);

  private static final String SHOW =
      "insert into node (name, version, host, address, started_at, heard_at, clock_apart_ms)"
          + " values (?, ?, ?, ?, clock_timestamp(), clock_timestamp(), ?) on conflict (name) do update set"
          + " version = excluded.version, host = excluded.host, address = excluded.address,"
          + " started_at = case when ? then excluded.started_at else node.started_at end,"
          + " heard_at = excluded.heard_at, clock_apart_ms = excluded.clock_apart_ms";

  private Nodes() {}

  /**
   * Shows that a node lives, and where.
   *
   * @param apart how far its host's clock is ahead of the database's
   * @param started whether it has just started
   */
  public static void show(
      Connection connection,
      String name,
      String version,
      String host,
      String address,
      Duration apart,
      boolean started)
      throws SQLException {
    try (PreparedStatement row = connection.prepareStatement(SHOW)) {
      row.setString(1, name);
      row.setString(2, version);
      row.setString(3, host);
      row.setString(4, address);
      row.setLong(5, apart.toMillis());
      row.setBoolean(6, started);
      row.executeUpdate();
    }
  }

  /** A node has stopped in order. */
  public static void gone(Connection connection, String name) throws SQLException {
    try (PreparedStatement row = connection.prepareStatement("delete from node where name = ?")) {
      row.setString(1, name);
      row.executeUpdate();
    }
  }

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
