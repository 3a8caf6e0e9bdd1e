package bargelane.core.site;

import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** What a site consists of, as its platform tells it. Disk sizes are bytes, memory is MiB. */
public record Inventory(
    List<MachineFacts> machines,
    List<Network> networks,
    List<Storage> storages,
    List<Size> sizes,
    List<String> zones,
    Quota quota) {

  /** One machine. {@code platformId} stays the same when it is renamed. */
  public record MachineFacts(
      String platformId,
      String name,
      int cpus,
      long memoryMib,
      String os,
      String firmware,
      boolean on,
      boolean fenced,
      List<Disk> disks,
      List<Nic> nics,
      List<Ingress> ingress,
      Map<String, String> labels,
      String owner) {}

  /** One disk in boot order; {@code volume} is the platform's name of it. */
  public record Disk(String volume, long bytes, String storage) {}

  /** One network card. */
  public record Nic(String network, String address, String mac) {}

  /** What a machine serves. */
  public record Ingress(String protocol, int port, String from) {}

  /** A network or subnet. */
  public record Network(String id, String name, String zone, String cidr, boolean isolated) {}

  /** A storage or storage class. */
  public record Storage(
      String id, String name, String media, BigDecimal pricePerGibMonth, String currency) {}

  /** A machine size that is offered. */
  public record Size(
      String id, int cpus, long memoryMib, BigDecimal pricePerHour, String currency) {}

  /** Upper bounds of the account, and what is used of them. */
  public record Quota(int machines, int machinesUsed, long volumeGib, long volumeGibUsed) {}

  /** A network by id or name. */
  public Optional<Network> network(String ref) {
    return networks.stream().filter(n -> n.id().equals(ref) || n.name().equals(ref)).findFirst();
  }

  /** A storage by id or name. */
  public Optional<Storage> storage(String ref) {
    return storages.stream().filter(s -> s.id().equals(ref) || s.name().equals(ref)).findFirst();
  }

  /** A size by id. */
  public Optional<Size> size(String id) {
    return sizes.stream().filter(s -> s.id().equals(id)).findFirst();
  }
}
