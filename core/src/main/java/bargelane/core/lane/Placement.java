package bargelane.core.lane;

import bargelane.core.net.HardwareAddress;
import java.util.List;

/**
 * Where one machine lands: its size, and a target for each network card and disk, in their order.
 *
 * @param size empty where the platform has no sizes
 */
public record Placement(String size, List<PlacedNic> nics, List<String> storages, String zone) {

  /**
   * A network card at the target.
   *
   * @param mac the card's former hardware address, kept so that a guest that knows its cards by it
   *     finds them again; empty where there was none
   */
  public record PlacedNic(String network, String address, boolean kept, String mac) {
    public PlacedNic {
      mac = HardwareAddress.canonical(mac);
    }
  }
}
