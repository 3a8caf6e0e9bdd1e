package bargelane.service.site;

import bargelane.api.ScanResult;
import bargelane.service.connection.Connections;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.usage.UsageReading;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys;
import java.time.Duration;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/**
 * Reads what a site is, what its machines used and whom they talked to. A site that does not answer
 * leaves what is known of it untouched.
 */
public final class ScanRun implements RunKind {

  private final Sites sites;
  private final Scans scans;
  private final Surveying surveying;
  private final UsageReading usage;
  private final Connections connections;

  public ScanRun(
      Sites sites, Scans scans, Surveying surveying, UsageReading usage, Connections connections) {
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
    return Outcome.done(String.format(Locale.ROOT, "%,d samples", usage.read(w.siteId())));
  }

  private Outcome connections(Work w) {
    return Outcome.done(
        connections
            .read(w.siteId())
            .map(n -> String.format(Locale.ROOT, "%,d kinds of connections", n))
            .orElse("this kind of site does not watch them"));
  }
}
