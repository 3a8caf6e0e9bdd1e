package bargelane.standins;

import bargelane.standins.History.Load;
import bargelane.standins.History.Talk;
import bargelane.standins.Platform.Ingress;
import bargelane.standins.Platform.Network;
import bargelane.standins.Platform.Nic;
import bargelane.standins.Seed.SeedDisk;
import bargelane.standins.Seed.SeedMachine;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/** Made-up machines in any number, the same ones each time: an estate to measure with. */
final class LargeEstate {

  private static final int A_NETWORK = 200;
  private static final int DISKS = 4;
  private static final int TALKS = 20;
  private static final List<String> ROLES =
      List.of("web", "application", "database", "queue", "files", "batch", "cache", "desk");
  private static final List<String> SYSTEMS =
      List.of(
          "Debian GNU/Linux 12",
          "Debian GNU/Linux 11",
          "AlmaLinux 9.4",
          "Ubuntu 22.04 LTS",
          "Windows Server 2019");
  private static final List<String> PATTERNS =
      List.of("office", "evening", "steady", "nightly", "monthly", "idle");

  private LargeEstate() {}

  /** A seed with as many machines as are wanted, at least its own. */
  static Seed.File fill(Seed.File seed, int wanted) {
    int more = wanted - seed.machines().size();
    if (more <= 0) {
      return seed;
    }
    List<Network> networks = new ArrayList<>(seed.networks());
    for (int n = 0; n * A_NETWORK < more; n++) {
      String block = "172.%d.%d.".formatted(16 + n / 256, n % 256);
      networks.add(
          new Network(
              "net-" + n, "floor-" + n, "", block + "0/24", block + "1", false, "", "", List.of()));
    }
    List<SeedMachine> machines = new ArrayList<>(seed.machines());
    for (int i = 0; i < more; i++) {
      machines.add(machine(i, more, seed.storages().get(i % seed.storages().size()).id()));
    }
    return new Seed.File(
        seed.traits(),
        seed.tokens(),
        new Platform.Quota(wanted + 1000, 100_000_000),
        seed.zones(),
        seed.names(),
        seed.licences(),
        seed.bootProtection(),
        seed.filters(),
        seed.projects(),
        seed.identities(),
        seed.keys(),
        networks,
        seed.storages(),
        seed.sizes(),
        machines);
  }

  private static String address(int i) {
    int network = i / A_NETWORK;
    return "172.%d.%d.%d".formatted(16 + network / 256, network % 256, 10 + i % A_NETWORK);
  }

  private static String name(int i) {
    return ROLES.get(i % ROLES.size()) + "-%05d".formatted(i);
  }

  private static SeedMachine machine(int i, int all, String storage) {
    int cpus = 1 << (i * 7 % 5);
    List<SeedDisk> disks = new ArrayList<>();
    for (int d = 0; d < DISKS; d++) {
      disks.add(
          new SeedDisk(d == 0 ? "system" : "data-" + d, (20L + i % 9 * 10L) << 10, 8, storage));
    }
    List<Talk> talks = new ArrayList<>();
    for (int t = 0; t < TALKS; t++) {
      int peer = (int) ((i * 31L + t * 977L + 1) % all);
      talks.add(new Talk(null, address(peer), 1024 + t, "daemon-" + t, 10L + t * 40L, 4096));
    }
    return new SeedMachine(
        "vm-%06d".formatted(100_000 + i),
        name(i),
        cpus,
        (long) cpus * (i % 3 + 1) * 2048L,
        SYSTEMS.get(i % SYSTEMS.size()),
        i % 4 == 0 ? "bios" : "uefi",
        "",
        disks,
        List.of(
            new Nic(
                "net-" + i / A_NETWORK,
                address(i),
                "52:55:%02x:%02x:%02x:%02x"
                    .formatted(i >> 24 & 255, i >> 16 & 255, i >> 8 & 255, i & 255))),
        List.of(new Ingress("tcp", 443, "10.0.0.0/8")),
        Map.of("app", "app-" + i % 400, "role", ROLES.get(i % ROLES.size())),
        true,
        true,
        new Load(
            PATTERNS.get(i % PATTERNS.size()),
            0.1 + i % 8 / 10.0,
            0.2 + i % 7 / 10.0,
            i % 11,
            i % 13,
            i % 5,
            0),
        talks);
  }
}
