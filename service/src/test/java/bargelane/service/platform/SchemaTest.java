package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.node.Entities;
import java.io.IOException;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import org.flywaydb.core.Flyway;
import org.junit.jupiter.api.Test;

/** Databases of other versions. */
class SchemaTest {

  private static Connection connected(TestDatabase database) throws SQLException {
    return DriverManager.getConnection(database.url, "bargelane", database.password);
  }

  /** Takes a database back to an earlier version of the schema, without anything in it. */
  private static void former(TestDatabase database, Connection connection, int version)
      throws SQLException {
    try (Statement sql = connection.createStatement()) {
      sql.execute("drop schema public cascade; create schema public");
    }
    Flyway.configure()
        .dataSource(database.url, "bargelane", database.password)
        .javaMigrations(Entities.migrations())
        .target(String.valueOf(version))
        .load()
        .migrate();
  }

  private static String one(Connection connection, String query) throws SQLException {
    try (Statement sql = connection.createStatement();
        ResultSet r = sql.executeQuery(query)) {
      r.next();
      return r.getString(1);
    }
  }

  @Test
  void aDatabaseOfANewerVersionIsNotTouched() throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Connection connection = connected(database);
        Statement sql = connection.createStatement()) {
      sql.execute(
          "insert into flyway_schema_history (installed_rank, version, description, type, script, checksum,"
              + " installed_by, execution_time, success) values (999, '999', 'later', 'SQL', 'V999__later.sql', 1, 'x', 1, true)");
      IOException refused = assertThrows(IOException.class, database::connect);
      assertTrue(
          refused.getMessage().contains("of a newer version (its schema is 999"),
          refused.getMessage());
      assertTrue(refused.getMessage().contains("restore the backup"), refused.getMessage());
    }
  }

  @Test
  void aDatabaseThatNodesOfAFormerVersionRunOnIsLeftToThem() throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Connection connection = connected(database)) {
      former(database, connection, 23);
      try (Connection node = connected(database);
          Statement sql = node.createStatement()) {
        sql.execute("select pg_advisory_lock_shared(hashtextextended('nodes', 0))");
        IOException refused = assertThrows(IOException.class, database::connect);
        assertTrue(
            refused.getMessage().startsWith("1 node runs on this database with a former version"),
            refused.getMessage());
        assertEquals("23", one(connection, "select max(version::int) from flyway_schema_history"));
      }
      database.connect().close();
    }
  }

  @Test
  void secretsOfAFormerVersionMayGoWhereTheyWent() throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Connection connection = connected(database);
        Statement sql = connection.createStatement()) {
      former(database, connection, 23);
      for (String[] site :
          new String[][] {
            {"s1", "standin", "https://10.20.0.1:4431/api"},
            {"s2", "standin", "http://lanes.example"},
            {"s3", "standin", "https://[fd00::1]"},
            {"s4", "servers", ""}
          }) {
        sql.execute(
            String.format(
                "insert into site (id, name, kind, address, created_at, findings, schedule)"
                    + " values ('%1$s', '%1$s', '%2$s', '%3$s', now(), '[]', '')",
                (Object[]) site));
      }
      for (String c : new String[] {"token", "named", "six", "key", "unused"}) {
        sql.execute(
            String.format(
                "insert into credential (id, name, type, account, sealed, changed_at, own)"
                    + " values ('%1$s', '%1$s', 'token', '', '', now(), false)",
                c));
      }
      sql.execute(
          "insert into site_credential values ('s1', 0, 'token'), ('s2', 0, 'named'), ('s3', 0, 'six'), ('s4', 0, 'key')");
      sql.execute(
          "insert into server (id, site_id, address, port, host_key, credential, added_at) values"
              + " ('a', 's4', '10.20.9.7', 22, '', '', now()), ('b', 's4', 'fd00::7', 2222, '', '', now())");
      database.connect().close();
      String all =
          one(
              connection,
              "select string_agg(name || '=' || destinations, ' ' order by name) from credential");
      assertEquals(
          "key=[\"10.20.9.7:22\", \"[fd00::7]:2222\"] named=[\"lanes.example:80\"]"
              + " six=[\"[fd00::1]:443\"] token=[\"10.20.0.1:4431\"] unused=[]",
          all);
    }
  }
}
