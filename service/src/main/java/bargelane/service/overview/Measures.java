package bargelane.service.overview;

import bargelane.core.finding.Finding;
import bargelane.core.replication.LegState;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.type.TypeReference;
import io.micrometer.core.instrument.MeterRegistry;
import io.micrometer.core.instrument.MultiGauge;
import io.micrometer.core.instrument.MultiGauge.Row;
import io.micrometer.core.instrument.Tags;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.hibernate.Session;

/**
 * What a monitoring system is told of the estate: read from the database when it asks, and not more
 * often than every few seconds whoever asks. Labels are names of waves and sites and words of ours,
 * {@value #MOST} of each at most.
 */
public final class Measures {

  private static final int MOST = 500;
  private static final long FRESH_NS = TimeUnit.SECONDS.toNanos(5);

  private final Db db;
  private final Clock clock;
  private final MultiGauge exposure;
  private final MultiGauge rpo;
  private final MultiGauge held;
  private final MultiGauge runs;
  private final MultiGauge passes;
  private final MultiGauge waiting;
  private final MultiGauge findings;
  private final MultiGauge unwanted;
  private boolean looked;
  private long lookedAt;

  public Measures(Db db, Clock clock, MeterRegistry meters) {
    this.db = db;
    this.clock = clock;
    exposure =
        gauge(
            meters,
            "bargelane.wave.exposure.seconds",
            "Now minus the as-of time of the newest complete recovery point");
    rpo = gauge(meters, "bargelane.wave.rpo.seconds", "What the wave's timetable must keep");
    held =
        gauge(meters, "bargelane.wave.held", "1 while the passes of its timetable are held back");
    runs = gauge(meters, "bargelane.runs.open", "Runs that are not over, by kind and state");
    passes = gauge(meters, "bargelane.passes.open", "Passes that are not over, by state");
    waiting =
        gauge(
            meters,
            "bargelane.pass.waiting.seconds",
            "For how long the oldest pass that no tug has is open; 0 for none");
    findings =
        gauge(meters, "bargelane.site.findings", "Findings of a site's last check that block it");
    unwanted =
        gauge(
            meters,
            "bargelane.things.unwanted",
            "Things of ours at sites that are to be removed and are still there");
  }

  private static MultiGauge gauge(MeterRegistry meters, String name, String text) {
    return MultiGauge.builder(name).description(text).register(meters);
  }

  /** Looks, unless it did within five seconds. */
  public synchronized void look() {
    if (looked && System.nanoTime() - lookedAt < FRESH_NS) {
      return;
    }
    db.run(this::look);
    looked = true;
    lookedAt = System.nanoTime();
  }

  private void look(Session s) {
    Instant now = clock.instant();
    waves(s, now);
    List<Row<?>> open = new ArrayList<>();
    for (Object[] r :
        Db.list(
            s,
            Object[].class,
            "select kind, state, count(*) from RunEntity where endedAt is null group by kind, state")) {
      open.add(
          Row.of(
              Tags.of("kind", (String) r[0], "state", ((bargelane.core.run.RunState) r[1]).word()),
              (Number) r[2]));
    }
    runs.register(open, true);
    passes(s, now);
    sites(s);
    unwanted.register(
        List.of(
            Row.of(
                Tags.empty(),
                Db.first(s, Long.class, "select count(*) from SiteObjectEntity where not wanted")
                    .orElse(0L))),
        true);
  }

  private void waves(Session s, Instant now) {
    List<Row<?>> exposures = new ArrayList<>();
    List<Row<?>> rpos = new ArrayList<>();
    List<Row<?>> holds = new ArrayList<>();
    for (Object[] r :
        Db.query(
                s,
                Object[].class,
                "select t.name, x.rpoSeconds, p.asOf, l.heldBy from TowEntity t"
                    + " join TimetableEntity x on x.id = t.timetableId"
                    + " join LegEntity l on l.towId = t.id and l.state <> ?1"
                    + " left join PointEntity p on p.id = l.pointId"
                    + " where t.settledAt is null order by t.name",
                LegState.CLOSED)
            .setMaxResults(MOST)
            .getResultList()) {
      Tags wave = Tags.of("wave", (String) r[0]);
      if (r[2] != null) {
        exposures.add(
            Row.of(wave, Math.max(0, Duration.between((Instant) r[2], now).toMillis() / 1000.0)));
      }
      rpos.add(Row.of(wave, (Number) r[1]));
      holds.add(Row.of(wave, ((String) r[3]).isEmpty() ? 0 : 1));
    }
    exposure.register(exposures, true);
    rpo.register(rpos, true);
    held.register(holds, true);
  }

  private void passes(Session s, Instant now) {
    TreeMap<String, Row<?>> states = new TreeMap<>();
    for (PassState state : PassState.values()) {
      if (state != PassState.COMPLETE && state != PassState.FAILED) {
        states.put(state.word(), Row.of(Tags.of("state", state.word()), 0));
      }
    }
    double oldest = 0;
    for (Object[] r :
        Db.list(
            s,
            Object[].class,
            "select state, count(*), min(startedAt) from PassEntity where endedAt is null group by state")) {
      PassState state = (PassState) r[0];
      states.put(state.word(), Row.of(Tags.of("state", state.word()), (Number) r[1]));
      if (state == PassState.READY) {
        oldest = Math.max(0, Duration.between((Instant) r[2], now).toMillis() / 1000.0);
      }
    }
    passes.register(states.values(), true);
    waiting.register(List.of(Row.of(Tags.empty(), oldest)), true);
  }

  private void sites(Session s) {
    List<Row<?>> rows = new ArrayList<>();
    for (Object[] r :
        Db.query(s, Object[].class, "select name, findings from SiteEntity order by name")
            .setMaxResults(MOST)
            .getResultList()) {
      long blocking =
          Json.read((String) r[1], new TypeReference<List<Finding>>() {}).stream()
              .filter(Finding::blocks)
              .count();
      rows.add(Row.of(Tags.of("site", (String) r[0]), blocking));
    }
    findings.register(rows, true);
  }
}
