package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.Supplier;

/** Writes to the disks of machines that are off, and knows what they held when. */
final class DiskHistory {

  private static final int BLOCK = BlockDigest.BLOCK;

  /** How long after it was asked for a snapshot may be taken. */
  private static final Duration SNAPSHOT_DELAY = Duration.ofSeconds(20);

  /** As many changes are remembered. */
  private static final int REMEMBERED = 12;

  /**
   * What the disks hold from a moment on, until the next one.
   *
   * @param begun when the first byte of it was written
   * @param ended when all of it was
   * @param disks by machine and number of the disk
   */
  record Held(Instant begun, Instant ended, Map<String, byte[]> disks) {}

  private final Supplier<Platform> platform;
  private final List<String> machines;
  private final List<Held> states = new ArrayList<>();

  /**
   * Reads what the disks hold now.
   *
   * @param platform where they are; it may be started again meanwhile
   */
  DiskHistory(Supplier<Platform> platform, List<String> machines) throws IOException {
    this.platform = platform;
    this.machines = machines;
    Map<String, byte[]> disks = new LinkedHashMap<>();
    for (var e : volumes().entrySet()) {
      try (BlockDevice disk = platform.get().open(e.getValue(), false)) {
        disks.put(e.getKey(), read(disk));
      } finally {
        platform.get().closeLook(e.getValue());
      }
    }
    states.add(new Held(Instant.EPOCH, Instant.now(), disks));
  }

  private Map<String, String> volumes() throws IOException {
    Map<String, String> volumes = new LinkedHashMap<>();
    for (String machine : machines) {
      List<String> disks = platform.get().disks(machine);
      for (int i = 0; i < disks.size(); i++) {
        volumes.put(machine + " " + i, disks.get(i));
      }
    }
    return volumes;
  }

  static byte[] read(BlockDevice disk) throws IOException {
    ByteBuffer all = ByteBuffer.allocate(Math.toIntExact(disk.size()));
    disk.read(0, all);
    return all.array();
  }

  /** Writes to some blocks, some of them back as they were once, or to zeroes. */
  void change(Random random, int writes) throws IOException {
    Map<String, byte[]> disks = new LinkedHashMap<>();
    states.get(states.size() - 1).disks().forEach((name, bytes) -> disks.put(name, bytes.clone()));
    Instant begun = Instant.now();
    for (var e : volumes().entrySet()) {
      byte[] model = disks.get(e.getKey());
      try (BlockDevice disk = platform.get().open(e.getValue(), true)) {
        for (int i = 0; i < writes; i++) {
          int at = random.nextInt(model.length / BLOCK) * BLOCK;
          byte[] bytes = new byte[random.nextInt(3) == 0 ? 512 : BLOCK];
          int way = random.nextInt(4);
          if (way == 0) {
            Held before = states.get(random.nextInt(states.size()));
            System.arraycopy(before.disks().get(e.getKey()), at, bytes, 0, bytes.length);
          } else if (way > 1) {
            random.nextBytes(bytes);
          }
          disk.write(at, ByteBuffer.wrap(bytes));
          System.arraycopy(bytes, 0, model, at, bytes.length);
        }
      } finally {
        platform.get().closeLook(e.getValue());
      }
    }
    states.add(new Held(begun, Instant.now(), disks));
    if (states.size() > REMEMBERED) {
      states.remove(0);
    }
  }

  /**
   * What the disks may have held in a snapshot that was asked for at a moment; nothing if that is
   * too long ago. Changes are made between passes, but for small ones at other times: a snapshot
   * that comes late may have those.
   */
  List<Held> at(Instant asOf) {
    if (states.get(0).ended().isAfter(asOf)) {
      return List.of();
    }
    List<Held> may = new ArrayList<>();
    for (int i = 0; i < states.size(); i++) {
      boolean over = i + 1 < states.size() && states.get(i + 1).begun().isBefore(asOf);
      if (!over && states.get(i).begun().isBefore(asOf.plus(SNAPSHOT_DELAY))) {
        may.add(states.get(i));
      }
    }
    return may;
  }
}
