package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.service.platform.Db;
import bargelane.service.run.RunEngine;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import org.hibernate.Session;

/** Has the copies of each leg scrubbed now and then, one leg at a time. */
public final class Scrubs {

  /** How often a leg's copies are scrubbed. */
  static final Duration EVERY = Duration.ofDays(7);

  private final Db db;
  private final RunEngine runs;
  private final Clock clock;

  public Scrubs(Db db, RunEngine runs, Clock clock) {
    this.db = db;
    this.runs = runs;
    this.clock = clock;
  }

  /** Begins the scrub that has been due for longest, unless one is running. */
  public void due() {
    db.run(this::begin);
    runs.look();
  }

  private void begin(Session s) {
    Db.lock(s, ScrubRun.KIND);
    if (Db.first(
            s,
            String.class,
            "select id from RunEntity where kind = ?1 and endedAt is null",
            ScrubRun.KIND)
        .isPresent()) {
      return;
    }
    Instant before = clock.instant().minus(EVERY);
    // What was never scrubbed is due a while after its first point was recorded.
    Db.first(
            s,
            LegEntity.class,
            "select l from LegEntity l where l.state = ?1 and l.heldBy = '' and l.pointId is not null"
                + " and coalesce(l.scrubbedAt, (select min(p.startedAt) from PassEntity p where p.legId = l.id)) < ?2"
                + " order by coalesce(l.scrubbedAt, ?2)",
            LegState.OPEN,
            before)
        .ifPresent(
            l -> ScrubRun.start(s, runs, s.find(TowEntity.class, l.towId), l.id, "the schedule"));
  }
}
