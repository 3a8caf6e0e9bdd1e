package bargelane.service.replication;

import bargelane.service.platform.Db;
import bargelane.service.run.RunFailure;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.Target;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;

/**
 * Whose the copies of a tow are. The identity of the service that keeps them lies beside each
 * point; whoever takes a tow over puts its own there, and its tag on the copies. A service that
 * comes back after it was taken for lost sees that before it writes or moves anything.
 *
 * <p>Cost: one small file is read before each pass and each move.
 */
public final class Custody {

  /** The file beside a point. */
  public static final String FILE = "service";

  private final Db db;
  private final Sites sites;
  private final Ledger ledger;

  Custody(Db db, Sites sites, Ledger ledger) {
    this.db = db;
    this.sites = sites;
    this.ledger = ledger;
  }

  /** Puts this service's identity beside a point. */
  public void take(Target target, String point) {
    target.attach(point, FILE, ledger.installation().getBytes(StandardCharsets.UTF_8));
  }

  /**
   * Refuses to go on where another service has taken a tow's copies over.
   *
   * @throws RunFailure if one has
   */
  public void held(TowState state, LegEntity leg) {
    db.tx(s -> TowState.newestPoint(s, leg)).ifPresent(p -> held(state, p));
  }

  /**
   * The same of all that is recorded of a tow, on whatever leg, before any of it is removed.
   *
   * @throws RunFailure if another service has taken some of it over
   */
  public void held(TowState state) {
    Map<String, PointEntity> newest = new HashMap<>();
    db.tx(
            s ->
                Db.list(
                    s,
                    PointEntity.class,
                    "from PointEntity where towId = ?1 order by number",
                    state.tow.id))
        .forEach(p -> newest.put(p.siteId, p));
    newest.values().forEach(p -> held(state, p));
  }

  private void held(TowState state, PointEntity newest) {
    Target target = sites.driver(newest.siteId).target();
    Optional<String> by =
        target
            .attachment(newest.name, FILE)
            .map(b -> new String(b, StandardCharsets.UTF_8).strip());
    if (by.isPresent() && by.get().equals(ledger.installation())) {
      return;
    }
    if (by.isEmpty() && isOurs(target, state, newest.siteId)) {
      // A version before left none, or somebody removed the point.
      return;
    }
    throw new RunFailure(
        "wave-taken-over",
        "another service"
            + by.map(b -> " (" + b + ")").orElse("")
            + " has taken wave "
            + state.tow.name
            + " over: its copies at "
            + (newest.siteId.equals(state.home.id) ? state.home : state.away).name
            + " are that one's",
        "work on it there; nothing of it is changed from here any more");
  }

  /** Whether the copies that passes write carry our tag, if they are at this site at all. */
  private boolean isOurs(Target target, TowState state, String siteId) {
    String tag = ledger.owner(state.tow.id);
    boolean elsewhere =
        state.leg.map(l -> state.siteId(TowState.source(l).other())).stream()
            .noneMatch(siteId::equals);
    return elsewhere
        || state.replicas.isEmpty()
        || target.owned(tag).stream()
            .anyMatch(
                o ->
                    o.kind().equals("volume")
                        && state.replicas.stream().anyMatch(r -> r.volume.equals(o.name())));
  }
}
