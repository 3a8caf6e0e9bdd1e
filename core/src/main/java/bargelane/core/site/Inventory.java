package bargelane.core.site;

import bargelane.core.net.Address;
import bargelane.core.net.HardwareAddress;
import java.math.BigDecimal;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;

/** What a site consists of, as its platform tells it. Disk sizes are bytes, memory is MiB. */
public record Inventory(
    List<MachineFacts> machines,
    List<Network> networks,
    List<Storage> storages,
    List<Size> sizes,
    List<String> zones,
    Quota quota,
    Offers offers,
    List<CarriedVolume> carried) {

  public Inventory {
    offers = offers == null ? Offers.UNTOLD : offers;
    carried = carried == null ? List.of() : List.copyOf(carried);
  }

  /** A site whose platform tells of no volumes that a storage system fills. */
  public Inventory(
      List<MachineFacts> machines,
      List<Network> networks,
      List<Storage> storages,
      List<Size> sizes,
      List<String> zones,
      Quota quota,
      Offers offers) {
    this(machines, networks, storages, sizes, zones, quota, offers, List.of());
  }

  /** A site that tells nothing of what it refuses. */
  public Inventory(
      List<MachineFacts> machines,
      List<Network> networks,
      List<Storage> storages,
      List<Size> sizes,
      List<String> zones,
      Quota quota) {
    this(machines, networks, storages, sizes, zones, quota, Offers.UNTOLD);
  }

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
      String owner,
      DeviceFamily devices,
      GuestFacts guest) {
    public MachineFacts {
      nics = nics == null ? List.of() : nics;
      ingress = ingress == null ? List.of() : ingress;
      devices = devices == null ? DeviceFamily.UNKNOWN : devices;
      guest = guest == null ? GuestFacts.NONE : guest;
    }

    /**
     * The same machine with what its guest told. A card of which the platform tells no address has
     * the one that the guest gave it.
     */
    public MachineFacts telling(GuestFacts told) {
      return new MachineFacts(
          platformId,
          name,
          cpus,
          memoryMib,
          os,
          firmware,
          on,
          fenced,
          disks,
          nics.stream().map(told::addressed).toList(),
          ingress,
          labels,
          owner,
          devices,
          told);
    }

    /** The same machine with one disk of another size; as it is if it has no such disk. */
    public MachineFacts grown(String volume, long bytes) {
      return with(
          disks.stream()
              .map(d -> d.volume().equals(volume) ? new Disk(volume, bytes, d.storage()) : d)
              .toList());
    }

    /** The same machine whose disks have other volumes. */
    public MachineFacts renamed(Map<String, String> volumes) {
      return with(
          disks.stream()
              .map(
                  d ->
                      new Disk(
                          volumes.getOrDefault(d.volume(), d.volume()), d.bytes(), d.storage()))
              .toList());
    }

    /** The same machine with other disks. */
    public MachineFacts with(List<Disk> all) {
      return new MachineFacts(
          platformId,
          name,
          cpus,
          memoryMib,
          os,
          firmware,
          on,
          fenced,
          all,
          nics,
          ingress,
          labels,
          owner,
          devices,
          guest);
    }
  }

  /**
   * What an agent in the guest told of it.
   *
   * @param readAt when; null if there was none
   * @param toldBy the site that read it from inside; empty if the machine's own platform told it
   */
  public record GuestFacts(
      String hostname,
      String os,
      String kernel,
      List<FileSystem> fileSystems,
      List<Card> cards,
      Instant readAt,
      String toldBy) {
    public static final GuestFacts NONE =
        new GuestFacts("", "", "", List.of(), List.of(), null, "");

    public GuestFacts {
      toldBy = toldBy == null ? "" : toldBy;
    }

    /** A card with its address: what the guest calls it may be a bridge or a bond, too. */
    private Nic addressed(Nic nic) {
      return !nic.address().isEmpty() || nic.mac().isEmpty()
          ? nic
          : cards.stream()
              .filter(c -> c.mac().equals(nic.mac()))
              .flatMap(c -> c.addresses().stream())
              .map(a -> a.replaceFirst("/.*", ""))
              .filter(Address::beyondLink)
              .findFirst()
              .map(a -> new Nic(nic.network(), a, nic.mac()))
              .orElse(nic);
    }

    /** A mounted file system; bytes are 0 where they are not told. */
    public record FileSystem(String mount, String type, long bytes, long used) {}

    /** A network card as the guest knows it, with its addresses. */
    public record Card(String name, String mac, List<String> addresses) {
      public Card {
        mac = HardwareAddress.canonical(mac);
      }
    }
  }

  /**
   * What a machine has used since it was started, at an instant; absent where the platform does not
   * tell. Memory is what the guest itself uses of what it has.
   */
  public record Usage(
      Instant at,
      OptionalDouble cpuSeconds,
      OptionalLong memoryBytes,
      OptionalLong readBytes,
      OptionalLong reads,
      OptionalLong writtenBytes,
      OptionalLong writes,
      OptionalLong receivedBytes,
      OptionalLong sentBytes) {}

  /**
   * What kind of hardware a machine sees: how its disks are attached and what its network cards
   * are, in the words of the platform. A guest that has drivers for one family may lack those for
   * another.
   */
  public record DeviceFamily(String disk, String nic) {
    public static final DeviceFamily UNKNOWN = new DeviceFamily("", "");
  }

  /** One disk in boot order; {@code volume} is the platform's name of it. */
  public record Disk(String volume, long bytes, String storage) {}

  /** One network card; its hardware address is empty where it is not told, or none. */
  public record Nic(String network, String address, String mac) {
    public Nic {
      mac = HardwareAddress.canonical(mac);
    }
  }

  /** What a machine serves. */
  public record Ingress(String protocol, int port, String from) {}

  /**
   * A network or subnet.
   *
   * @param reserved addresses of its range that the platform keeps for itself, in canonical form
   */
  public record Network(
      String id, String name, String zone, String cidr, boolean isolated, List<String> reserved) {
    public Network {
      reserved =
          reserved == null
              ? List.of()
              : reserved.stream().flatMap(a -> Address.canonical(a).stream()).toList();
    }

    /** A network whose platform tells of no reserved addresses. */
    public Network(String id, String name, String zone, String cidr, boolean isolated) {
      this(id, name, zone, cidr, isolated, List.of());
    }
  }

  /**
   * What a site takes and refuses of machines that are made there, besides what its rows say.
   *
   * @param licences by which systems can run there; a system that none is for needs none
   * @param bootProtection whether machines can be started so that only a signed system comes up
   * @param filters whether a machine is reached only from where its rules let in
   * @param projects accounts or projects that can own machines, with their folders before them;
   *     none where there is one owner only
   * @param identities that a machine can run under
   * @param keys that a disk can be encrypted with, besides the site's own way
   */
  public record Offers(
      NameRule names,
      List<Licence> licences,
      boolean bootProtection,
      boolean filters,
      List<String> projects,
      List<String> identities,
      List<String> keys) {
    public static final Offers UNTOLD = new Offers(NameRule.ANY, List.of(), false, false);

    public Offers {
      names = names == null ? NameRule.ANY : names;
      licences = licences == null ? List.of() : List.copyOf(licences);
      projects = projects == null ? List.of() : List.copyOf(projects);
      identities = identities == null ? List.of() : List.copyOf(identities);
      keys = keys == null ? List.of() : List.copyOf(keys);
    }

    /** Those of a site where no key can be chosen. */
    public Offers(
        NameRule names,
        List<Licence> licences,
        boolean bootProtection,
        boolean filters,
        List<String> projects,
        List<String> identities) {
      this(names, licences, bootProtection, filters, projects, identities, List.of());
    }

    /** Those of a site with one owner of all machines, which run under no identity. */
    public Offers(NameRule names, List<Licence> licences, boolean bootProtection, boolean filters) {
      this(names, licences, bootProtection, filters, List.of(), List.of());
    }

    /** The licences that a system can run under; none where it needs none. */
    public List<Licence> licencesOf(String os) {
      return licences.stream().filter(l -> os.startsWith(l.system())).toList();
    }
  }

  /**
   * How a system may be licensed.
   *
   * @param id by which it is chosen
   * @param system with what the names of the systems begin that it is for
   */
  public record Licence(String id, String system) {}

  /**
   * A volume that a storage system fills from one of another site.
   *
   * @param asOf the instant of the other one that it holds; null where it holds no whole one yet
   * @param ended whether the storage system has stopped filling it, which it may take up again
   * @param machine the name of the machine that has it as a disk; empty if none has
   * @param seenAt when the platform told this, by the service's clock
   */
  public record CarriedVolume(
      String volume,
      long bytes,
      String storage,
      Instant asOf,
      boolean ended,
      String machine,
      Instant seenAt) {}

  /** A storage or storage class. */
  public record Storage(
      String id,
      String name,
      String media,
      BigDecimal pricePerGibMonth,
      String currency,
      StorageLimits limits) {
    public Storage {
      limits = limits == null ? StorageLimits.UNTOLD : limits;
    }

    public Storage(
        String id, String name, String media, BigDecimal pricePerGibMonth, String currency) {
      this(id, name, media, pricePerGibMonth, currency, StorageLimits.UNTOLD);
    }
  }

  /**
   * The most that one disk of a storage class can be; 0 where it is not told.
   *
   * @param operations a second
   * @param throughputMib MiB a second
   */
  public record StorageLimits(long gib, double operations, double throughputMib) {
    public static final StorageLimits UNTOLD = new StorageLimits(0, 0, 0);
  }

  /** A machine size that is offered. */
  public record Size(
      String id,
      int cpus,
      long memoryMib,
      BigDecimal pricePerHour,
      String currency,
      SizeLimits limits) {
    public Size {
      limits = limits == null ? SizeLimits.UNTOLD : limits;
    }

    public Size(String id, int cpus, long memoryMib, BigDecimal pricePerHour, String currency) {
      this(id, cpus, memoryMib, pricePerHour, currency, SizeLimits.UNTOLD);
    }
  }

  /**
   * What else a platform tells of a size; empty or 0 where it does not.
   *
   * @param generation of its processors
   * @param operations of all disks, a second
   * @param throughputMib of all disks, MiB a second
   * @param networkMib in one direction, MiB a second
   * @param zones where it is offered; everywhere if there are none
   */
  public record SizeLimits(
      String family,
      String generation,
      int nics,
      int disks,
      double operations,
      double throughputMib,
      double networkMib,
      List<String> zones) {
    public static final SizeLimits UNTOLD = new SizeLimits("", "", 0, 0, 0, 0, 0, List.of());

    public SizeLimits {
      family = family == null ? "" : family;
      generation = generation == null ? "" : generation;
      zones = zones == null ? List.of() : List.copyOf(zones);
    }
  }

  /**
   * Upper bounds of the account, and what is used of them.
   *
   * @param shares what of it has an owner's tag; null where the platform does not tell
   * @param clones whether a clone takes its whole size of it, whatever it shares
   */
  public record Quota(
      int machines,
      int machinesUsed,
      long volumeGib,
      long volumeGibUsed,
      List<Share> shares,
      boolean clones) {
    public Quota {
      shares = shares == null ? null : List.copyOf(shares);
    }

    /** A quota whose use is not told by owners. */
    public Quota(int machines, int machinesUsed, long volumeGib, long volumeGibUsed) {
      this(machines, machinesUsed, volumeGib, volumeGibUsed, null);
    }

    /** A quota of which clones take what they write. */
    public Quota(
        int machines, int machinesUsed, long volumeGib, long volumeGibUsed, List<Share> shares) {
      this(machines, machinesUsed, volumeGib, volumeGibUsed, shares, false);
    }

    /** GiB that clones of so many bytes take beyond what is left; 0 where they fit. */
    public long shortOf(long bytes) {
      long gib = (bytes + (1L << 30) - 1) >> 30;
      return clones ? Math.max(0, volumeGibUsed + gib - volumeGib) : 0;
    }

    /**
     * What a tow has of it, nothing if it has nothing; none where the platform does not tell.
     *
     * @param tow with which its tag ends
     */
    public Optional<Share> of(String tow) {
      return Optional.ofNullable(shares)
          .map(
              all ->
                  all.stream()
                      .filter(x -> x.owner().endsWith("/" + tow))
                      .reduce(
                          new Share("", 0, 0),
                          (x, y) ->
                              new Share(
                                  y.owner(),
                                  x.machines() + y.machines(),
                                  x.volumeBytes() + y.volumeBytes())));
    }
  }

  /** What is used under one owner's tag. */
  public record Share(String owner, int machines, long volumeBytes) {}

  /** A network by id or name. */
  public Optional<Network> network(String ref) {
    return networks.stream().filter(n -> n.id().equals(ref) || n.name().equals(ref)).findFirst();
  }

  /** A storage by id or name. */
  public Optional<Storage> storage(String ref) {
    return storages.stream().filter(s -> s.id().equals(ref) || s.name().equals(ref)).findFirst();
  }

  /** A volume that a storage system fills, by its name. */
  public Optional<CarriedVolume> carriedVolume(String name) {
    return carried.stream().filter(v -> v.volume().equals(name)).findFirst();
  }

  /** A size by id. */
  public Optional<Size> size(String id) {
    return sizes.stream().filter(s -> s.id().equals(id)).findFirst();
  }
}
