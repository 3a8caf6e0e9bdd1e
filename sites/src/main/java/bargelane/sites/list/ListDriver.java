package bargelane.sites.list;

import bargelane.core.finding.Finding;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.sites.LookOnly;
import bargelane.sites.SiteException;
import java.util.List;

/** An estate that can only be listed: what is known of it are the lists that were given. */
public final class ListDriver extends LookOnly {

  private static final int GRANULARITY = 64 * 1024;

  private final String name;

  public ListDriver(String name) {
    super(name + " is a list");
    this.name = name;
  }

  @Override
  public List<Finding> check() {
    return List.of();
  }

  @Override
  public Capabilities capabilities() {
    return new Capabilities(
        "Lists",
        "",
        Capabilities.Reach.MACHINE,
        GRANULARITY,
        false,
        false,
        false,
        DeviceFamily.UNKNOWN);
  }

  /** There is nothing to ask. */
  @Override
  public Inventory inventory() {
    throw new SiteException(
        SiteException.Kind.FINAL,
        "look-only",
        name
            + " is a list, there is nothing to scan: bargelane machine add "
            + name
            + " --csv FILE",
        null);
  }
}
