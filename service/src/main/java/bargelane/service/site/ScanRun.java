package bargelane.service.site;

import bargelane.api.ScanResult;
import bargelane.service.agent.AgentEntity;
import bargelane.service.connection.Connections;
import bargelane.service.db.Db;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.usage.UsageReading;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys;
import bargelane.sites.agents.AgentsDriver;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/**
 * Reads what a site is, what its machines used and whom they talked to. A site that does not answer
 * leaves what is known of it untouched.
 */
public final class ScanRun implements RunKind {

  /** Agents report every minute. */
  private static final Duration LONGEST_WAIT = Duration.ofMinutes(3);

  private final Db db;
  private final Sites sites;
  private final Scans scans;
  private final Surveying surveying;
  private final UsageReading usage;
  private final Connections connections;
  private final Clock clock;

  public ScanRun(
      Db db,
      Sites sites,
      Scans scans,
      Surveying surveying,
      UsageReading usage,
      Connections connections,
      Clock clock) {
    this.db = db;
    this.clock = clock;
    this.sites = sites;
    this.scans = scans;
    this.surveying = surveying;
    this.usage = usage;
    this.connections = connections;
  }

  @Override
  public String name() {
    return "scan";
  }

  @Override
  public Duration patience() {
    return Duration.ofSeconds(5);
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("scan", "Read the inventory", this::scan),
        new Step("usage", "Read what machines used", this::usage),
        new Step("connections", "Read who talks to whom", this::connections));
  }

  private Outcome scan(Work w) {
    if (sites.kind(w.siteId()).equals("agents")) {
      return agents(w);
    }
    Optional<Surveys> surveys = sites.driver(w.siteId()).surveys();
    if (surveys.isPresent()) {
      Surveying.Scanned read = surveying.scan(w.siteId(), surveys.get());
      if (read.result().machines() == 0 && read.unread() > 0) {
        throw new SiteException(
            SiteException.Kind.FINAL,
            "unreadable",
            "none of its " + read.unread() + " servers could be read",
            null);
      }
      return told(w, read.result(), read.unread());
    }
    return told(w, scans.scan(w.siteId()), 0);
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
              Db.list(s, AgentEntity.class, "from AgentEntity where siteId = ?1", w.siteId());
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
                "asked; " + coming + " of " + all.size() + " agents have not told yet",
                Duration.ofSeconds(5));
          }
          return told(
              w,
              scans.since(s, w.siteId(), w.startedAt(), all.size() - untold.size()),
              untold.size());
        });
  }

  private static Outcome told(Work w, ScanResult result, int unread) {
    w.result(result);
    String also = unread == 0 ? "" : "; " + unread + " could not be read, see the site";
    return Outcome.done(
        result.unchanged()
            ? result.machines() + " machines, nothing changed" + also
            : result.machines()
                + " machines: "
                + result.appearedCount()
                + " appeared, "
                + result.changedCount()
                + " changed, "
                + result.vanishedCount()
                + " vanished"
                + also);
  }

  private Outcome usage(Work w) {
    if (sites.kind(w.siteId()).equals("agents")) {
      return Outcome.done("agents tell it every minute");
    }
    return Outcome.done(String.format(Locale.ROOT, "%,d samples", usage.read(w.siteId())));
  }

  private Outcome connections(Work w) {
    return Outcome.done(
        connections
            .read(w.siteId())
            .map(n -> String.format(Locale.ROOT, "%,d kinds of connections", n))
            .orElse(
                switch (sites.kind(w.siteId())) {
                  case "agents" -> "agents tell them every five minutes";
                  case "servers" -> "read with each server, and every five minutes";
                  default -> "this kind of site does not watch them";
                }));
  }
}
