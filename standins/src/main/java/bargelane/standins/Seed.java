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

  /** A machine to make. */
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
      boolean on) {}

  /** The whole file. */
  public record File(
      Platform.Traits traits,
      Map<String, List<String>> tokens,
      Platform.Quota quota,
      List<String> zones,
      List<Platform.Network> networks,
      List<Platform.StorageClass> storages,
      List<Platform.Size> sizes,
      List<SeedMachine> machines) {}

  private static final long MIB = 1024 * 1024;
  private static final long RING_BYTES = 4 * MIB;

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

  /** Fills a new platform and makes its disks. */
  static Platform plant(File file, VolumeStore store, Path work) throws IOException {
    Platform platform = new Platform();
    platform.traits = file.traits();
    platform.tokens.putAll(file.tokens());
    if (file.quota() != null) {
      platform.quota = file.quota();
    }
    platform.zones.addAll(file.zones());
    file.networks().forEach(n -> platform.networks.put(n.id(), n));
    file.storages().forEach(s -> platform.storages.put(s.id(), s));
    file.sizes().forEach(s -> platform.sizes.put(s.id(), s));
    for (SeedMachine m : file.machines()) {
      List<String> disks = new ArrayList<>();
      for (int i = 0; i < m.disks().size(); i++) {
        SeedDisk disk = m.disks().get(i);
        String volume = m.id() + "-" + disk.name();
        Path raw = disk(work, m, disk, i == 0);
        store.adopt(new VolumeRecord(volume, disk.sizeMib() * MIB, disk.storage(), "", true), raw);
        disks.add(volume);
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
              m.zone() == null ? "" : m.zone(),
              disks,
              m.nics(),
              m.ingress() == null ? List.of() : m.ingress(),
              m.labels() == null ? Map.of() : m.labels(),
              m.on(),
              false,
              ""));
    }
    return platform;
  }

  private static Path disk(Path work, SeedMachine machine, SeedDisk disk, boolean boot)
      throws IOException {
    Path content = Files.createTempDirectory(work, "content");
    Path raw = Files.createTempFile(work, "disk", ".raw");
    try {
      fill(content, machine, disk, boot);
      run(List.of("truncate", "-s", disk.sizeMib() + "M", raw.toString()), "");
      // One bootable Linux partition from the first MiB to the end (sfdisk's script format).
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
              (disk.sizeMib() - 1) * 1024 + "k"),
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
