package bargelane.service.site;

import bargelane.api.ScanResult;
import bargelane.service.connection.Connections;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.usage.UsageReading;
import java.time.Duration;
import java.util.List;
import java.util.Locale;

/**
 * Reads what a site is, what its machines used and whom they talked to. A site that does not answer
 * leaves what is known of it untouched.
 */
public final class ScanRun implements RunKind {

  private final Scans scans;
  private final UsageReading usage;
  private final Connections connections;

  public ScanRun(Scans scans, UsageReading usage, Connections connections) {
    this.scans = scans;
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
    ScanResult result = scans.scan(w.siteId());
    w.result(result);
    return Outcome.done(
        result.unchanged()
            ? result.machines() + " machines, nothing changed"
            : result.machines()
                + " machines: "
                + result.appearedCount()
                + " appeared, "
                + result.changedCount()
                + " changed, "
                + result.vanishedCount()
                + " vanished");
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
