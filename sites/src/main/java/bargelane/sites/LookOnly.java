package bargelane.sites;

import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import java.util.Map;

/** A site whose machines are looked at only: no disk leaves it, none comes to it. */
public abstract class LookOnly implements SiteDriver {

  private static final int GRANULARITY = 64 * 1024;

  private final String what;
  private final String platform;
  private final String version;

  /**
   * @param what the site is, as a sentence goes on: "X is a folder of packages"
   * @param platform what its kind is called
   * @param version of the standard that it follows; empty if there is none
   */
  protected LookOnly(String what, String platform, String version) {
    this.what = what;
    this.platform = platform;
    this.version = version;
  }

  /** Nothing is snapshotted or tracked there. */
  @Override
  public Capabilities capabilities() {
    return new Capabilities(
        platform,
        version,
        Capabilities.Reach.MACHINE,
        GRANULARITY,
        false,
        false,
        false,
        DeviceFamily.UNKNOWN);
  }

  /** There is none as a whole, unless a kind says otherwise. */
  @Override
  public Inventory inventory() {
    throw cannot(noInventory());
  }

  /** Why there is no inventory as a whole, as the sentence goes on. */
  protected String noInventory() {
    return "each of its machines is read by itself";
  }

  private SiteException cannot(String not) {
    return new SiteException(SiteException.Kind.FINAL, "look-only", what + ": " + not, null);
  }

  @Override
  public Map<String, Inventory.Usage> usage() {
    return Map.of();
  }

  @Override
  public Source source() {
    throw cannot("its disks can't be replicated from there");
  }

  @Override
  public Target target() {
    throw cannot("nothing can be replicated to it");
  }

  @Override
  public Compute compute() {
    throw cannot("no machine is started or stopped there");
  }
}
