package bargelane.core.lane;

import bargelane.core.net.HardwareAddress;
import bargelane.core.site.Inventory.Ingress;
import java.util.List;

/**
 * Where one machine lands: its size, and a target for each network card and disk, in their order.
 *
 * @param size empty where the platform has no sizes
 * @param name at the target; empty for the one that it has
 * @param licence how its system is licensed there; empty where that is not said
 * @param belonging whose it is there
 * @param sockets in which its processors are arranged; 0 where that is not said
 * @param bootProtection whether only a signed system is started
 * @param ingress what is let in there; null for the same as at the source
 * @param keptOff whether it is kept off when it has landed
 * @param keys that disks are encrypted with, in their order; empty where none is chosen
 * @param carried what a storage system fills of its disks there, in their order
 */
public record Placement(
    String size,
    List<PlacedNic> nics,
    List<String> storages,
    String zone,
    String name,
    String licence,
    Belonging belonging,
    int sockets,
    boolean bootProtection,
    List<Ingress> ingress,
    boolean keptOff,
    List<String> keys,
    List<String> carried) {

  /** What was stored before these could be said has none of them. */
  public Placement {
    name = name == null ? "" : name;
    licence = licence == null ? "" : licence;
    belonging = belonging == null ? Belonging.UNSAID : belonging;
    keys = keys == null ? List.of() : List.copyOf(keys);
    carried = carried == null ? List.of() : List.copyOf(carried);
  }

  /** A place where nothing is said but size, networks, storages and zone. */
  public Placement(String size, List<PlacedNic> nics, List<String> storages, String zone) {
    this(size, nics, storages, zone, "", "", null, 0, false, null, false, null, null);
  }

  /** The key of a disk; empty where none is chosen. */
  public String key(int disk) {
    return disk < keys.size() ? keys.get(disk) : "";
  }

  /** What is let in, of a machine that lets this in at its source. */
  public List<Ingress> ingressOf(List<Ingress> atSource) {
    return ingress == null ? atSource : ingress;
  }

  /** The same place with other cards. */
  public Placement with(List<PlacedNic> other) {
    return new Placement(
        size,
        other,
        storages,
        zone,
        name,
        licence,
        belonging,
        sockets,
        bootProtection,
        ingress,
        keptOff,
        keys,
        carried);
  }

  /** The same place with what is carried. */
  Placement carrying(List<CarriedDisk> disks) {
    return new Placement(
        size,
        nics,
        storages,
        zone,
        name,
        licence,
        belonging,
        sockets,
        bootProtection,
        ingress,
        keptOff,
        keys,
        disks.stream().map(CarriedDisk::volume).toList());
  }

  /** The name at the target of a machine that is called so at its source. */
  public String nameOf(String atSource) {
    return name.isEmpty() ? atSource : name;
  }

  /**
   * A network card at the target.
   *
   * @param address empty where the platform gives one
   * @param mac the card's former hardware address, kept so that a guest that knows its cards by it
   *     finds them again; empty where there was none
   */
  public record PlacedNic(String network, String address, boolean kept, String mac) {
    public PlacedNic {
      mac = HardwareAddress.canonical(mac);
    }
  }
}
