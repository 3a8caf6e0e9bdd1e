package bargelane.service.usage;

import bargelane.service.platform.Db;
import bargelane.service.site.Sites;
import bargelane.sites.SiteException;
import com.github.kagkarlsson.scheduler.task.helper.RecurringTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import com.github.kagkarlsson.scheduler.task.schedule.FixedDelay;
import java.time.Duration;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Looks at the counters of sites that keep no samples themselves, every five minutes: what is not
 * looked at in time is lost. Sites that keep samples are read by their scans.
 */
public final class UsageTask {

  private static final Logger log = LoggerFactory.getLogger(UsageTask.class);

  private final Db db;
  private final Sites sites;
  private final UsageReading reading;

  public UsageTask(Db db, Sites sites, UsageReading reading) {
    this.db = db;
    this.sites = sites;
    this.reading = reading;
  }

  public RecurringTask<Void> task() {
    return Tasks.recurring("usage", FixedDelay.of(Duration.ofMinutes(5)))
        .execute((instance, context) -> look());
  }

  /** One look. A site that does not answer has a gap, and keeps no other from being read. */
  void look() {
    List<String> scanned =
        db.tx(
            s -> Db.list(s, String.class, "select id from SiteEntity where scannedAt is not null"));
    for (String site : scanned) {
      try {
        if (sites.driver(site).history().isEmpty()) {
          reading.read(site);
        }
      } catch (SiteException e) {
        log.warn("the use at site {} is not known for now: {}", site, e.getMessage());
      }
    }
  }
}
