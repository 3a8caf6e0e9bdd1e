package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.api.PassDay;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import bargelane.service.platform.Upkeep;
import bargelane.service.replication.PassDays;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
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

  private static Upkeep upkeep(Db db) {
    return new Upkeep(db, Clock.systemUTC(), Rooms.TIDY, Rooms.PAST, Duration.ofDays(100));
  }

  /** A pass of a timetable, and its run, that ended so many days ago. */
  private static void pass(Db db, int number, int days, String state, Integer exposure) {
    db.run(
        s -> {
          for (String sql :
              new String[] {
                "set local session_replication_role = replica",
                "insert into run (id, kind, title, subject_kind, subject_id, subject_name, routine, state, epoch, input, notes, started_by, started_at, ended_at)"
                    + " values ('r%1$d', 'pass', '', 'wave', 't', 't', true, 'done', 1, '{}', '{}', '', now(), now() - make_interval(days => %2$d))",
                "insert into pass (id, run_id, tow_id, leg_id, number, kind, state, started_at, ended_at, epoch, tug, attempts, verify, disks, total, done, read, sent, zeroed, problem, exposure_ms, over_rpo_ms)"
                    + " values ('p%1$d', 'r%1$d', 't', 'l', %1$d, 'delta', '%3$s', now() - make_interval(days => %2$d, secs => 2),"
                    + " now() - make_interval(days => %2$d), 1, '', 1, true, '[]', 0, 0, 1000, 100, 0, '', %4$s, greatest(0, %4$s - 5000))"
              }) {
            s.createNativeMutationQuery(
                    String.format(java.util.Locale.ROOT, sql, number, days, state, exposure))
                .executeUpdate();
          }
        });
  }

  @Test
  void passesThatGoAreKeptAsSumsOfTheirDays() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Db db = database.db();
      pass(db, 1, 9, "complete", null);
      pass(db, 2, 9, "complete", 4000);
      pass(db, 3, 9, "failed", null);
      pass(db, 4, 9, "complete", 9000);
      pass(db, 5, 0, "complete", 6000);
      PassDays days = new PassDays(db);
      List<PassDay> before = days.of("t", 30);
      assertEquals(2, before.size());
      PassDay old = before.get(1);
      assertEquals(4, old.passes());
      assertEquals(1, old.failed());
      assertEquals(4000, old.read());
      assertEquals(400, old.sent());
      assertEquals(8, old.seconds());
      assertEquals(9, old.longestExposureSeconds());
      assertEquals(4, old.overRpoSeconds());
      upkeep(db).tidy();
      assertEquals(1, rows(db, "pass"));
      assertEquals(before, days.of("t", 30));
      // More of the same day, later.
      pass(db, 6, 9, "complete", 7000);
      upkeep(db).tidy();
      assertEquals(1, rows(db, "pass"));
      PassDay more = days.of("t", 30).get(1);
      assertEquals(5, more.passes());
      assertEquals(9, more.longestExposureSeconds());
      assertEquals(6, more.overRpoSeconds());
      pass(db, 7, 200, "complete", 7000);
      upkeep(db).tidy();
      upkeep(db).tidy();
      assertEquals(2, days.of("t", 30).size(), "sums go as other history does");
      assertEquals(1, days.of("t", 1).size());
      assertEquals(List.of(), days.of("another", 30));
    }
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
      Upkeep upkeep = upkeep(db);
      assertEquals(6, upkeep.tidy());
      for (String table : new String[] {"event", "machine_change", "connection"}) {
        assertEquals(2, rows(db, table), table);
      }
      assertEquals(0, upkeep.tidy());
    }
  }
}
