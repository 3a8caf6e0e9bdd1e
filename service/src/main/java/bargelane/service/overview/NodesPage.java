package bargelane.service.overview;

import bargelane.api.NodeView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.wave.Need;
import bargelane.core.wave.Need.Urgency;
import bargelane.service.platform.DatabaseClock;
import bargelane.service.platform.Db;
import bargelane.service.platform.Nodes;
import bargelane.service.run.Runs;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/** The nodes of the service: whether each lives, and what it does. */
public final class NodesPage {

  /** One that has been silent for so long is forgotten. */
  private static final Duration FORGOTTEN = Duration.ofDays(7);

  private static final int MOST_RUNS = 50;

  private final Db db;
  private final Clock clock;

  public NodesPage(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /** All nodes by name, those that are silent too. */
  public List<NodeView> list() {
    return db.tx(s -> list(s, clock.instant()));
  }

  private static List<NodeView> list(Session s, Instant now) {
    return s
        .createNativeQuery(
            "select name, version, host, address, started_at, heard_at, clock_apart_ms,"
                + " (select count(*) from pass p where p.tug = n.name || '-tug' and p.state = 'leased' and p.lease_until > :now)"
                + " from node n where heard_at > :since order by name",
            Object[].class)
        .setParameter("now", now)
        .setParameter("since", now.minus(FORGOTTEN))
        .getResultList()
        .stream()
        .map(
            r ->
                new NodeView(
                    (String) r[0],
                    (String) r[1],
                    (String) r[2],
                    (String) r[3],
                    (Instant) r[4],
                    (Instant) r[5],
                    ((Instant) r[5]).isAfter(now.minus(Nodes.SILENT)),
                    ((Number) r[6]).longValue() / 1000.0,
                    Runs.drivenBy(s, (String) r[0], MOST_RUNS),
                    ((Number) r[7]).longValue()))
        .toList();
  }

  /** Nodes that are silent though nobody stopped them, and clocks that are wrong. */
  static List<Need> needs(Session s, Instant now) {
    List<Need> needs = new ArrayList<>();
    for (NodeView n : list(s, now)) {
      if (!n.lives()) {
        needs.add(
            new Need(
                Urgency.SOON,
                "node " + n.name(),
                "it is silent, and was not stopped in order; other nodes carry on with its work",
                Remedy.of("look at its host, " + n.host(), Action.NODE_LIST),
                "",
                Optional.of(n.heardAt())));
      } else if (Math.abs(n.clockAheadSeconds()) * 1000 > DatabaseClock.WORTH_TELLING.toMillis()) {
        needs.add(
            new Need(
                Urgency.SOON,
                "the clock of " + n.host(),
                "it is "
                    + Math.round(Math.abs(n.clockAheadSeconds()))
                    + " s "
                    + (n.clockAheadSeconds() < 0 ? "behind" : "ahead of")
                    + " the database's, which work goes by",
                Remedy.of("have both follow a time server", Action.NODE_LIST),
                "",
                Optional.empty()));
      }
    }
    return needs;
  }
}
