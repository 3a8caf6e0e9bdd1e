package bargelane.sites;

import bargelane.core.site.Inventory;
import java.util.Map;

/** A site whose machines are looked at only: no disk leaves it, none comes to it. */
public abstract class LookOnly implements SiteDriver {

  private final String what;

  /** {@code what} the site is, as a sentence goes on: "X is a folder of packages". */
  protected LookOnly(String what) {
    this.what = what;
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
