package bargelane.sites.list;

import bargelane.core.finding.Finding;
import bargelane.sites.LookOnly;
import java.util.List;

/** An estate that can only be listed: what is known of it are the lists that were given. */
public final class ListDriver extends LookOnly {

  private final String name;

  public ListDriver(String name) {
    super(name + " is a list", "Lists", "");
    this.name = name;
  }

  @Override
  public List<Finding> check() {
    return List.of();
  }

  @Override
  protected String noInventory() {
    return "there is nothing to scan: the machines of " + name + " come from lists";
  }
}
