package bargelane.service.replication;

import bargelane.service.platform.Db;
import bargelane.service.run.RunFailure;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.Target;
import java.nio.charset.StandardCharsets;
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
    Optional<PointEntity> newest = db.tx(s -> TowState.newestPoint(s, leg));
    if (newest.isEmpty()) {
      return;
    }
    Target target = sites.driver(newest.get().siteId).target();
    Optional<String> by =
        target
            .attachment(newest.get().name, FILE)
            .map(b -> new String(b, StandardCharsets.UTF_8).strip());
    if (by.isPresent() && by.get().equals(ledger.installation())) {
      return;
    }
    if (by.isEmpty() && isOurs(target, state)) {
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
            + state.site(TowState.source(leg).other()).name
            + " are that one's",
        "work on it there; nothing of it is changed from here any more");
  }

  private boolean isOurs(Target target, TowState state) {
    String tag = ledger.owner(state.tow.id);
    return state.replicas.isEmpty()
        || target.owned(tag).stream()
            .anyMatch(
                o ->
                    o.kind().equals("volume")
                        && state.replicas.stream().anyMatch(r -> r.volume.equals(o.name())));
  }
}
