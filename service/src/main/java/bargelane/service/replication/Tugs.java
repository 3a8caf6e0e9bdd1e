package bargelane.service.replication;

import bargelane.api.TugView;
import bargelane.service.platform.Db;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;

/** The tugs that ask for work. */
public final class Tugs {

  /** One that has not asked for so long is forgotten. */
  private static final Duration FORGOTTEN = Duration.ofDays(30);

  private static final Duration OFTEN = Duration.ofSeconds(5);

  private static final int LONGEST = 64;
  private static final int MOST_REMEMBERED = 1000;

  /** What was stored of a tug through this node, and when by the node's monotonic clock. */
  private record Told(String version, long at) {}

  private final Map<String, Told> stored = new ConcurrentHashMap<>();

  private final Db db;
  private final Clock clock;

  public Tugs(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /** A tug asks for work. That it did is stored every few seconds at the most. */
  public void asks(String name, String version) {
    Told told = new Told(String.valueOf(version), System.nanoTime());
    Told before = stored.get(name);
    if (before != null
        && before.version.equals(told.version)
        && told.at - before.at < OFTEN.toNanos()) {
      return;
    }
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into tug (name, version, heard_at) values (:name, :version, :now)"
                        + " on conflict (name) do update set version = excluded.version, heard_at = excluded.heard_at")
                .setParameter("name", shortly(name))
                .setParameter("version", shortly(version == null ? "" : version))
                .setParameter("now", clock.instant())
                .executeUpdate());
    if (stored.size() >= MOST_REMEMBERED) {
      stored.clear();
    }
    stored.put(name, told);
  }

  private static String shortly(String text) {
    return text.substring(0, Math.min(text.length(), LONGEST));
  }

  public List<TugView> list() {
    return db.tx(
        s ->
            s
                .createNativeQuery(
                    "select t.name, t.version, t.heard_at, (select count(*) from pass p where p.tug = t.name"
                        + " and p.state = 'leased' and p.lease_until > :now) from tug t"
                        + " where t.heard_at > :since order by t.name",
                    Object[].class)
                .setParameter("now", clock.instant())
                .setParameter("since", clock.instant().minus(FORGOTTEN))
                .getResultList()
                .stream()
                .map(
                    r ->
                        new TugView(
                            (String) r[0],
                            (String) r[1],
                            (Instant) r[2],
                            ((Number) r[3]).longValue()))
                .toList());
  }
}
