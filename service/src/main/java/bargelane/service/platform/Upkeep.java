package bargelane.service.platform;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;

/**
 * Removes history that nobody looks back at: the runs of timetables' passes with their steps, and
 * the events that told of single steps and progress. Runs asked for by people, their events and
 * their dossiers stay.
 */
public final class Upkeep {

  /** How long passes can be looked back at. */
  public static final Duration KEPT = Duration.ofDays(2);

  private final Db db;
  private final Clock clock;

  public Upkeep(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /** Removes what is older than {@link #KEPT}; gives the number of rows. */
  public int tidy() {
    Instant before = clock.instant().minus(KEPT);
    return db.tx(
        s -> {
          String old = "(select id from run where routine and parent_id is null and ended_at < ?1)";
          int rows = 0;
          for (String sql :
              new String[] {
                "delete from event where kind in ('step', 'progress', 'pass') and at < ?1",
                "delete from pass where ended_at is not null and run_id in " + old,
                "delete from step where run_id in " + old,
                "delete from run where id in "
                    + old
                    + " and not exists (select 1 from pass where run_id = run.id)",
                "delete from token where expires_at < ?1"
              }) {
            rows += s.createNativeMutationQuery(sql).setParameter(1, before).executeUpdate();
          }
          return rows;
        });
  }
}
