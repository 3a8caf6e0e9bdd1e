package bargelane.service.guest;

import bargelane.core.site.SiteKind;
import bargelane.service.machine.InventoryReading;
import bargelane.service.machine.ScanRun;
import bargelane.service.machine.Scans;
import bargelane.service.platform.Db;
import bargelane.service.run.Outcome;
import bargelane.service.run.Work;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys;
import bargelane.sites.agents.AgentsDriver;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/** Scans of sites whose machines are read from inside: by agents, or over SSH. */
public final class GuestScans implements InventoryReading {

  /** Agents report every minute. */
  private static final Duration LONGEST_WAIT = Duration.ofMinutes(3);

  private final Db db;
  private final Sites sites;
  private final Scans scans;
  private final Surveying surveying;
  private final Clock clock;

  public GuestScans(Db db, Sites sites, Scans scans, Surveying surveying, Clock clock) {
    this.db = db;
    this.sites = sites;
    this.scans = scans;
    this.surveying = surveying;
    this.clock = clock;
  }

  @Override
  public Optional<Outcome> scan(Work w) {
    if (db.tx(s -> s.find(SiteEntity.class, w.subjectId())).kind == SiteKind.AGENTS) {
      return Optional.of(agents(w));
    }
    return sites.driver(w.subjectId()).surveys().map(surveys -> servers(w, surveys));
  }

  private Outcome servers(Work w, Surveys surveys) {
    Surveying.Scanned read = surveying.scan(w.subjectId(), surveys);
    if (read.result().machines() == 0 && read.unread() > 0) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "unreadable",
          "none of its " + read.unread() + " servers could be read",
          null);
    }
    return ScanRun.told(w, read.result(), read.unread());
  }

  /**
   * Agents are asked with the answer to their next report; those that are silent are not waited
   * for.
   */
  private Outcome agents(Work w) {
    Instant now = clock.instant();
    return db.tx(
        s -> {
          List<AgentEntity> all =
              Db.list(s, AgentEntity.class, "from AgentEntity where siteId = ?1", w.subjectId());
          List<AgentEntity> untold =
              all.stream()
                  .filter(a -> a.surveyedAt == null || a.surveyedAt.isBefore(w.startedAt()))
                  .toList();
          boolean late = w.startedAt().plus(LONGEST_WAIT).isBefore(now);
          long coming =
              untold.stream()
                  .filter(
                      a -> a.heardAt != null && a.heardAt.isAfter(now.minus(AgentsDriver.SILENT)))
                  .count();
          if (coming > 0 && !late) {
            return new Outcome.Wait(
                "asked; " + coming + " of " + all.size() + " agents have not reported yet",
                Duration.ofSeconds(5));
          }
          return ScanRun.told(
              w,
              scans.since(s, w.subjectId(), w.startedAt(), all.size() - untold.size()),
              untold.size());
        });
  }
}
