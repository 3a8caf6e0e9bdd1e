package bargelane.api;

import java.util.List;

/**
 * Where a machine of a lane's source goes, why, and what is in the way.
 *
 * @param wave the open wave that it is in; empty for none
 * @param name its name at the target
 * @param size empty where none is chosen
 * @param decided what holds of the machine as a whole, with where it comes from
 */
public record PlacedView(
    String id,
    String machine,
    String wave,
    String name,
    String size,
    String zone,
    List<PlacedCardView> cards,
    List<PlacedDiskView> disks,
    List<DecidedView> decided,
    List<FindingView> findings) {

  /**
   * A network card.
   *
   * @param formerAddress the one that it has
   * @param subnet empty where its network is joined to nothing
   * @param subnetFrom whose rule says so, as {@code the network}; empty where none does
   * @param address the one that it gets; empty where the platform gives it one, or none is free
   * @param rule how the address is found
   */
  public record PlacedCardView(
      int card,
      String network,
      String formerAddress,
      String subnet,
      String subnetFrom,
      String address,
      boolean kept,
      String rule,
      String ruleFrom) {}

  /**
   * A disk.
   *
   * @param to the class that it goes to; empty where its storage is joined to none, or it is left
   *     out
   * @param key that it is encrypted with there; empty where none is chosen
   * @param copied whether it is copied, and neither left out nor carried
   * @param carriedAs the volume at the target that a storage system carries it to; empty where none
   *     does
   * @param from whose rule says where it goes, or that it is not copied
   */
  public record PlacedDiskView(
      int disk,
      String volume,
      long bytes,
      String role,
      String storage,
      String to,
      String key,
      boolean copied,
      String carriedAs,
      String from) {}

  /** An effective value and where it comes from. */
  public record DecidedView(String setting, String value, String from) {}
}
