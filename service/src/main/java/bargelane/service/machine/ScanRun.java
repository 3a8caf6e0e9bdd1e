package bargelane.service.machine;

import bargelane.api.ScanResult;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.text.Counts;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

/**
 * Reads what a site is, what its machines used and whom they talked to. A site that does not answer
 * leaves what is known of it untouched.
 */
public final class ScanRun implements RunKind {

  /** The name of this kind of run. */
  public static final String KIND = "scan";

  private final Scans scans;
  private final InventoryReading inside;
  private final List<Step> more;

  /**
   * @param inside reads sites whose machines are read from inside
   * @param more what is read after the inventory
   */
  public ScanRun(Scans scans, InventoryReading inside, List<Step> more) {
    this.scans = scans;
    this.inside = inside;
    this.more = more;
  }

  @Override
  public String name() {
    return KIND;
  }

  @Override
  public Duration patience() {
    return Duration.ofSeconds(5);
  }

  @Override
  public List<Step> steps(Work work) {
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("scan", "Read the inventory", this::scan));
    steps.addAll(more);
    return steps;
  }

  private Outcome scan(Work w) {
    return inside.scan(w).orElseGet(() -> told(w, scans.scan(w.subjectId()), 0));
  }

  /** Keeps and words what a scan found. */
  public static Outcome told(Work w, ScanResult result, int unread) {
    w.result(result);
    String also = unread == 0 ? "" : "; " + unread + " could not be read, see the site";
    return Outcome.done(
        result.unchanged()
            ? Counts.of(result.machines(), "machine") + ", nothing changed" + also
            : Counts.of(result.machines(), "machine")
                + ": "
                + result.appearedCount()
                + " appeared, "
                + result.changedCount()
                + " changed, "
                + result.vanishedCount()
                + " vanished"
                + also);
  }
}
