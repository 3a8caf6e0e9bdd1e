package bargelane.service.site;

import bargelane.api.ScanResult;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import java.time.Duration;
import java.util.List;

/** Reads a site's inventory. A site that does not answer leaves what is known of it untouched. */
public final class ScanRun implements RunKind {

  private final Sites sites;

  public ScanRun(Sites sites) {
    this.sites = sites;
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
    return List.of(new Step("scan", "Read the inventory", this::scan));
  }

  private Outcome scan(Work w) {
    ScanResult result = sites.scan(w.siteId());
    w.result(result);
    return Outcome.done(
        result.unchanged()
            ? result.machines() + " machines, nothing changed"
            : result.machines()
                + " machines: "
                + result.appeared().size()
                + " appeared, "
                + result.changed().size()
                + " changed, "
                + result.vanished().size()
                + " vanished");
  }
}
