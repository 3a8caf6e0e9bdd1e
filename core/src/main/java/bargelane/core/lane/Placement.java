package bargelane.core.lane;

import java.util.List;

/**
 * Where one machine lands: its size, and a target for each network card and disk, in their order.
 *
 * @param size empty where the platform has no sizes
 */
public record Placement(String size, List<PlacedNic> nics, List<String> storages, String zone) {

  /** A network card at the target. */
  public record PlacedNic(String network, String address, boolean kept) {}
}
