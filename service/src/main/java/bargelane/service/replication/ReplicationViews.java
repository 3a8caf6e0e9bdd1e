package bargelane.service.replication;

import bargelane.api.EventView;
import bargelane.api.PassView;
import bargelane.api.PointView;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Db;
import bargelane.service.site.SiteEntity;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/** Points and passes as they are told. */
public final class ReplicationViews {

  private final Db db;
  private final Clock clock;

  public ReplicationViews(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /** How far the passes are that tugs have. */
  public List<EventView> moving() {
    return db.tx(
        s ->
            Db.query(
                    s,
                    Object[].class,
                    "select id, towId, runId, number, done, total, sent from PassEntity"
                        + " where endedAt is null and state = ?1",
                    PassState.LEASED)
                .getResultList()
                .stream()
                .map(
                    p ->
                        new EventView(
                            0,
                            clock.instant(),
                            "progress",
                            p[1].toString(),
                            String.valueOf(p[2]),
                            "pass " + p[3],
                            "",
                            Map.of("pass", p[0], "done", p[4], "total", p[5], "sent", p[6])))
                .toList());
  }

  public static List<PointView> points(Session s, String towId) {
    return Db.list(
            s, PointEntity.class, "from PointEntity where towId = ?1 order by number desc", towId)
        .stream()
        .map(
            p ->
                new PointView(
                    p.id,
                    s.find(SiteEntity.class, p.siteId).name,
                    p.number,
                    p.asOf,
                    p.oneInstant,
                    p.spreadMs,
                    p.consistency,
                    p.verification.word(),
                    p.recordedAt,
                    s.find(LegEntity.class, p.legId).direction.word(),
                    p.sent))
        .toList();
  }

  public List<PointView> points(String towId) {
    return db.tx(s -> points(s, towId));
  }

  public List<PassView> passes(String towId, int most) {
    return db.tx(
        s ->
            Db.query(
                    s,
                    PassEntity.class,
                    "select p from PassEntity p join LegEntity l on l.id = p.legId where p.towId = ?1"
                        + " order by l.number desc, p.number desc",
                    towId)
                .setMaxResults(most)
                .getResultList()
                .stream()
                .map(this::view)
                .toList());
  }

  /** The newest pass of a leg. */
  public static Optional<PassEntity> newest(Session s, String legId) {
    return Db.first(
        s, PassEntity.class, "from PassEntity where legId = ?1 order by number desc", legId);
  }

  /** The newest pass of a tow that has ended, if it failed. */
  public static Optional<PassEntity> failed(Session s, String towId) {
    return Db.first(
            s,
            PassEntity.class,
            "select p from PassEntity p join LegEntity l on l.id = p.legId where p.towId = ?1"
                + " and p.endedAt is not null order by l.number desc, p.number desc",
            towId)
        .filter(p -> p.state == PassState.FAILED);
  }

  /** A pass as it is told. */
  public PassView view(PassEntity p) {
    Instant end = p.endedAt == null ? clock.instant() : p.endedAt;
    long millis = Math.max(1, Duration.between(p.startedAt, end).toMillis());
    long rate = p.done * 1000 / millis;
    boolean open = p.endedAt == null;
    Long remaining = open && p.done > 0 && rate > 0 ? (p.total - p.done) / rate : null;
    return new PassView(
        p.id,
        p.runId,
        p.number,
        p.kind.word(),
        p.state.word(),
        p.asOf,
        p.startedAt,
        p.endedAt,
        p.total,
        p.done,
        p.sent,
        p.zeroed,
        p.read,
        rate,
        remaining,
        p.problem,
        Passes.disks(p).stream()
            .map(
                d ->
                    new PassView.DiskProgress(
                        d.machine(),
                        d.disk(),
                        d.finished(),
                        d.progress().total(),
                        d.progress().done(),
                        d.progress().sent()))
            .toList());
  }
}
