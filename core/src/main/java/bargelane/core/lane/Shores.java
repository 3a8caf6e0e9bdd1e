package bargelane.core.lane;

import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Nic;
import java.util.Collection;
import java.util.List;

/**
 * Both ends of a lane, as they were read last, and what of the target is spoken for.
 *
 * @param lane its name, for remedies
 * @param targetName name of the site at its end
 * @param used cards of machines of the target's own
 * @param atSource cards of machines of the source: an address that one of them has is given to no
 *     other machine
 * @param held addresses that machines have been given already
 * @param others what other waves need at the target and do not have there yet
 * @param own what this wave has there already
 */
public record Shores(
    String lane,
    String targetName,
    Inventory source,
    Inventory target,
    Capabilities capabilities,
    Collection<Nic> used,
    Collection<Nic> atSource,
    Collection<Held> held,
    Demand others,
    Inventory.Share own) {

  /** Ends of a lane of which nothing is spoken for. */
  public Shores(
      String lane,
      String targetName,
      Inventory source,
      Inventory target,
      Capabilities capabilities,
      Collection<Nic> used) {
    this(
        lane,
        targetName,
        source,
        target,
        capabilities,
        used,
        List.of(),
        List.of(),
        Demand.NONE,
        new Inventory.Share("", 0, 0));
  }

  /** An address that a machine's card is to have. */
  public record Held(String network, String address, String machine, int card) {}

  /**
   * What waves need and do not have yet.
   *
   * @param waves their names
   */
  public record Demand(int machines, long bytes, List<String> waves) {
    public static final Demand NONE = new Demand(0, 0, List.of());
  }
}
