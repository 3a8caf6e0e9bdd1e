package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import bargelane.service.platform.Upkeep;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import org.junit.jupiter.api.Test;

/** History goes when it is older than it is kept, and nothing else does. */
class UpkeepTest {

  private static long rows(Db db, String table) {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery("select count(*) from " + table, Object.class)
                        .getSingleResult())
                .longValue());
  }

  @Test
  void eventsChangesAndConnectionsGoAfterAsLongAsTheyAreKept() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      db.run(
          s -> {
            s.createNativeMutationQuery(
                    "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'standin', '', now(), '[]')")
                .executeUpdate();
            s.createNativeMutationQuery(
                    "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values ('m', 's', 'p', 'm', '{}', now(), now())")
                .executeUpdate();
            for (int days : new int[] {1, 99, 101, 4000}) {
              for (String sql :
                  new String[] {
                    "insert into event (at, kind, subject, run_id, text) values (now() - make_interval(days => ?1), 'run', 's', '', 'x')",
                    "insert into machine_change (id, site_id, machine_id, at, kind, fact, former, present) values (?1, 's', 'm', now() - make_interval(days => ?1), 'x', 'x', '', '')",
                    "insert into connection (observer, client, server, protocol, port, process, count, bytes, first_seen, last_seen)"
                        + " values ('o', '10.0.0.1', '10.0.0.2', 'tcp', ?1, '', 1, 1, now() - interval '5000 days', now() - make_interval(days => ?1))"
                  }) {
                s.createNativeMutationQuery(sql).setParameter(1, days).executeUpdate();
              }
            }
          });
      Upkeep upkeep =
          new Upkeep(db, Clock.systemUTC(), Rooms.TIDY, Rooms.PAST, Duration.ofDays(100));
      assertEquals(6, upkeep.tidy());
      for (String table : new String[] {"event", "machine_change", "connection"}) {
        assertEquals(2, rows(db, table), table);
      }
      assertEquals(0, upkeep.tidy());
    }
  }
}
