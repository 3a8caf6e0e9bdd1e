package bargelane.service.node;

import bargelane.api.AuditCheck;
import bargelane.service.account.Audit;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Goes along the chain of the audit once a node has started, beside everything else: an entry that
 * was changed or taken out meanwhile is told in the log, as an event and to who watches.
 */
final class AuditWatch {

  private static final Logger log = LoggerFactory.getLogger(AuditWatch.class);

  private final Db db;
  private final Audit audit;
  private final Events events;

  /** NaN until it is known. */
  private volatile double sound = Double.NaN;

  AuditWatch(Db db, Audit audit, Events events, MeterRegistry meters) {
    this.db = db;
    this.audit = audit;
    this.events = events;
    Gauge.builder("bargelane.audit.sound", () -> sound)
        .description("1 if all entries were as they were written when this node started, else 0")
        .register(meters);
    Thread thread = new Thread(this::check, "audit-check");
    thread.setDaemon(true);
    thread.start();
  }

  private void check() {
    try {
      AuditCheck found = audit.verify();
      sound = found.broken().isEmpty() ? 1 : 0;
      if (found.broken().isEmpty()) {
        log.info("The audit has {} entries, all as they were written", found.entries());
      } else {
        String told = "the audit was changed: " + found.broken();
        log.error("{}", told);
        db.run(s -> events.tell(s, "service", "", null, told, null));
      }
    } catch (RuntimeException e) {
      // The node was ended meanwhile, or the database is away: the command checks it too.
      log.warn("The audit was not checked: {}", e.getMessage());
    }
  }
}
