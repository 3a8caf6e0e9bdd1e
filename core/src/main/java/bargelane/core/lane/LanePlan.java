package bargelane.core.lane;

import java.util.Map;

/**
 * The decisions of a lane.
 *
 * @param networks source network to target subnet, by id
 * @param storages source storage to target class, by id
 * @param zone where machines are placed; empty for the platform's choice
 * @param keepAddresses whether an address is kept where the subnet holds it
 */
public record LanePlan(
    Map<String, String> networks,
    Map<String, String> storages,
    String zone,
    boolean keepAddresses) {

  public LanePlan {
    networks = Map.copyOf(networks);
    storages = Map.copyOf(storages);
    zone = zone == null ? "" : zone;
  }

  /** The way back. */
  public Reverse reverse() {
    return new Reverse(this);
  }

  /**
   * The way back of a lane, which is derived from it: every join turned round; where two were
   * joined to one, the first by name wins. What led there is kept, so that its reverse is the lane
   * itself.
   */
  public record Reverse(LanePlan reverse) {

    /** Target subnet to source network, by id. */
    public Map<String, String> networks() {
      return turned(reverse.networks());
    }

    /** Target class to source storage, by id. */
    public Map<String, String> storages() {
      return turned(reverse.storages());
    }
  }

  private static Map<String, String> turned(Map<String, String> joins) {
    Map<String, String> turned = new java.util.TreeMap<>();
    joins.entrySet().stream()
        .sorted(Map.Entry.comparingByKey())
        .forEach(e -> turned.putIfAbsent(e.getValue(), e.getKey()));
    return turned;
  }
}
