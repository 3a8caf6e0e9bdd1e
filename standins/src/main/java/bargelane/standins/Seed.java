package bargelane.standins;

import bargelane.standins.Platform.Ingress;
import bargelane.standins.Platform.Machine;
import bargelane.standins.Platform.Nic;
import bargelane.standins.guest.Ring;
import bargelane.standins.store.VolumeRecord;
import bargelane.standins.store.VolumeStore;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.dataformat.yaml.YAMLFactory;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.Stream;

/**
 * The first state of a platform, from YAML: what it offers, and its machines with disks that are
 * made here with the system's own tools (sfdisk, mke2fs).
 */
public final class Seed {

  /**
   * A disk to make: a partition table, an ext4 file system with the ring and {@code fillMib} of
   * made-up files.
   */
  public record SeedDisk(String name, long sizeMib, long fillMib, String storage) {}

  /**
   * A machine. The disks of one that is made {@code onDemand} are in the inventory from the
   * beginning, and their bytes and its guest are there from when they are first needed.
   *
   * @param load what it is told to have used; none for a machine without usage
   * @param talks whom its processes are told to have connected to
   */
  public record SeedMachine(
      String id,
      String name,
      int cpus,
      long memoryMib,
      String os,
      String firmware,
      String zone,
      List<SeedDisk> disks,
      List<Nic> nics,
      List<Ingress> ingress,
      Map<String, String> labels,
      boolean on,
      boolean onDemand,
      History.Load load,
      List<History.Talk> talks) {
    public SeedMachine {
      zone = zone == null ? "" : zone;
      ingress = ingress == null ? List.of() : ingress;
      labels = labels == null ? Map.of() : labels;
      talks = talks == null ? List.of() : talks;
    }
  }

  /** The whole file. */
  public record File(
      Platform.Traits traits,
      Map<String, List<String>> tokens,
      Platform.Quota quota,
      List<String> zones,
      Platform.Names names,
      List<Platform.Licence> licences,
      boolean bootProtection,
      boolean filters,
      List<String> projects,
      List<String> identities,
      List<String> keys,
      List<Platform.Network> networks,
      List<Platform.StorageClass> storages,
      List<Platform.Size> sizes,
      List<SeedMachine> machines) {}

  private static final long MIB = 1024 * 1024;
  private static final long RING_BYTES = 4 * MIB;
  private static final long LARGEST_PARTITION_MIB = 1024;

  private Seed() {}

  /** Reads a seed: the name of a shipped one, or a path. */
  public static File read(String name) throws IOException {
    ObjectMapper yaml = new ObjectMapper(new YAMLFactory());
    try (InputStream shipped = Seed.class.getResourceAsStream("/demo/" + name + ".yaml")) {
      return shipped != null
          ? yaml.readValue(shipped, File.class)
          : yaml.readValue(Path.of(name).toFile(), File.class);
    }
  }

  /** Fills a new platform and makes those disks that are not left for later. */
  static Platform plant(File file, VolumeStore store, Path work) throws IOException {
    Platform platform = new Platform();
    platform.traits = file.traits();
    platform.tokens.putAll(file.tokens());
    if (file.quota() != null) {
      platform.quota = file.quota();
    }
    platform.zones.addAll(file.zones());
    if (file.names() != null) {
      platform.names = file.names();
    }
    if (file.licences() != null) {
      platform.licences.addAll(file.licences());
    }
    platform.bootProtection = file.bootProtection();
    platform.filters = file.filters();
    platform.projects.addAll(file.projects() == null ? List.of() : file.projects());
    platform.identities.addAll(file.identities() == null ? List.of() : file.identities());
    platform.keys.addAll(file.keys() == null ? List.of() : file.keys());
    file.networks().forEach(n -> platform.networks.put(n.id(), n));
    file.storages().forEach(s -> platform.storages.put(s.id(), s));
    file.sizes().forEach(s -> platform.sizes.put(s.id(), s));
    List<VolumeRecord> described = new ArrayList<>();
    for (SeedMachine m : file.machines()) {
      for (SeedDisk disk : m.disks()) {
        described.add(
            new VolumeRecord(volume(m, disk), disk.sizeMib() * MIB, disk.storage(), "", true));
      }
      platform.machines.put(
          m.id(),
          new Machine(
              m.id(),
              m.name(),
              "",
              m.cpus(),
              m.memoryMib(),
              m.os(),
              m.firmware(),
              m.zone(),
              m.disks().stream().map(d -> volume(m, d)).toList(),
              m.nics(),
              m.ingress(),
              m.labels(),
              m.on(),
              false,
              "",
              "",
              false,
              "",
              ""));
      if (m.load() != null) {
        platform.loads.put(m.id(), m.load());
      }
      if (!m.talks().isEmpty()) {
        platform.talks.put(m.id(), m.talks());
      }
      if (m.onDemand()) {
        platform.unmade.put(m.id(), m);
      }
    }
    store.describe(described);
    for (SeedMachine m : file.machines()) {
      if (!m.onDemand()) {
        make(m, store, work);
      }
    }
    return platform;
  }

  private static String volume(SeedMachine machine, SeedDisk disk) {
    // A disk that several machines share has a name of its own.
    return disk.name().startsWith("shared-") ? disk.name() : machine.id() + "-" + disk.name();
  }

  /** Makes the disks of a machine that are described only. */
  static void make(SeedMachine machine, VolumeStore store, Path work) throws IOException {
    for (int i = 0; i < machine.disks().size(); i++) {
      String volume = volume(machine, machine.disks().get(i));
      if (store.described(volume)) {
        store.adopt(volume, disk(work, machine, machine.disks().get(i), i == 0));
      }
    }
  }

  private static Path disk(Path work, SeedMachine machine, SeedDisk disk, boolean boot)
      throws IOException {
    Path content = Files.createTempDirectory(work, "content");
    Path raw = Files.createTempFile(work, "disk", ".raw");
    try {
      fill(content, machine, disk, boot);
      long mib = Math.min(disk.sizeMib(), Math.max(LARGEST_PARTITION_MIB, 2 * disk.fillMib()));
      run(List.of("truncate", "-s", mib + "M", raw.toString()), "");
      // One bootable Linux partition from the first MiB on (sfdisk's script format); what lies
      // behind it on a large disk is not in use.
      run(
          List.of("/sbin/sfdisk", "--quiet", raw.toString()),
          "label: dos\nstart=2048, type=83" + (boot ? ", bootable" : "") + "\n");
      run(
          List.of(
              "/sbin/mke2fs",
              "-q",
              "-F",
              "-t",
              "ext4",
              "-L",
              disk.name(),
              "-E",
              "offset=" + MIB + ",lazy_itable_init=0",
              "-d",
              content.toString(),
              raw.toString(),
              (mib - 1) * 1024 + "k"),
          "");
      return raw;
    } finally {
      try (Stream<Path> all = Files.walk(content)) {
        all.sorted(Comparator.reverseOrder()).forEach(Seed::delete);
      }
    }
  }

  private static void delete(Path path) {
    try {
      Files.delete(path);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static void fill(Path root, SeedMachine machine, SeedDisk disk, boolean boot)
      throws IOException {
    Files.createDirectories(root.resolve("srv/files"));
    if (boot) {
      Files.createDirectories(root.resolve("etc"));
      Files.writeString(root.resolve("etc/hostname"), machine.name() + "\n");
      Files.writeString(root.resolve("etc/os-release"), "PRETTY_NAME=\"" + machine.os() + "\"\n");
    }
    // mke2fs turns zeroes into holes: the ring must own its blocks, so it is filled with ones.
    byte[] ones = new byte[(int) RING_BYTES];
    Arrays.fill(ones, (byte) 0xff);
    Files.write(root.resolve(Ring.PATH.substring(1)), ones);
    Random random = new Random((machine.name() + disk.name()).hashCode());
    byte[] chunk = new byte[(int) MIB];
    for (long left = disk.fillMib(); left > 0; left -= 64) {
      try (OutputStream out = Files.newOutputStream(root.resolve("srv/files/part-" + left))) {
        for (long i = Math.min(64, left); i > 0; i--) {
          random.nextBytes(chunk);
          out.write(chunk);
        }
      }
    }
  }

  private static void run(List<String> command, String input) throws IOException {
    Process process;
    try {
      process = new ProcessBuilder(command).redirectErrorStream(true).start();
    } catch (IOException e) {
      throw new IOException(
          command.get(0) + " is not to be had: install the Debian packages fdisk and e2fsprogs", e);
    }
    try (OutputStream in = process.getOutputStream()) {
      in.write(input.getBytes(StandardCharsets.UTF_8));
    }
    String output = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (process.waitFor() != 0) {
        throw new IOException(String.join(" ", command) + " failed: " + output.strip());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }
}
