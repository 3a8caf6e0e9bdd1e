package bargelane.sites;

import bargelane.core.finding.Finding;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A site of any platform. A site plays whichever role its facets allow, since failback turns every
 * lane round. Calls are made by the service; disk bytes go another way, through the exports that
 * the facets hand out. Failures are {@link SiteException}s. Drivers hold no state but their
 * connection and may be used from several threads.
 */
public interface SiteDriver {

  /** Tests reach, permissions, clock and version; never throws for what it finds. */
  List<Finding> check();

  /**
   * The site's address with what was chosen there because the address says nothing of it, and must
   * not be chosen otherwise later; none if there is no such thing.
   */
  default Optional<String> settledAddress() {
    return Optional.empty();
  }

  /** What this platform can do. */
  Capabilities capabilities();

  /** Everything there is. */
  Inventory inventory();

  /** What running machines have used since they were started, by their platform's id. */
  Map<String, Inventory.Usage> usage();

  /**
   * Samples of use that the platform keeps itself; none where only {@link #usage} tells anything.
   */
  default Optional<UsageHistory> history() {
    return Optional.empty();
  }

  /**
   * Who talked to whom, as the platform saw it between two instants; none where it does not watch.
   * Counts of neighbouring times add up.
   */
  default Optional<List<Conversation>> conversations(Instant from, Instant to) {
    return Optional.empty();
  }

  /**
   * Machines that are read from inside, each by itself; none where {@link #inventory} tells all.
   */
  default Optional<Surveys> surveys() {
    return Optional.empty();
  }

  Source source();

  Target target();

  Compute compute();
}
