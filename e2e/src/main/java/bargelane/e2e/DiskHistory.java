package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
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
   * @param disks by machine and number of the disk: its blocks, most of them those of before
   */
  record Held(Instant begun, Instant ended, Map<String, byte[][]> disks) {

    /** Where a disk differs from what it held; -1 if it does not. */
    long differs(String disk, byte[] found) {
      byte[][] blocks = disks.get(disk);
      for (int i = 0; i < blocks.length; i++) {
        if (!Arrays.equals(blocks[i], 0, BLOCK, found, i * BLOCK, (i + 1) * BLOCK)) {
          return (long) i * BLOCK;
        }
      }
      return blocks.length * BLOCK == found.length ? -1 : found.length;
    }
  }

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
    Map<String, byte[][]> disks = new LinkedHashMap<>();
    for (var e : volumes().entrySet()) {
      try (BlockDevice disk = platform.get().open(e.getValue(), false)) {
        byte[] all = read(disk);
        byte[][] blocks = new byte[all.length / BLOCK][];
        for (int i = 0; i < blocks.length; i++) {
          blocks[i] = Arrays.copyOfRange(all, i * BLOCK, (i + 1) * BLOCK);
        }
        disks.put(e.getKey(), blocks);
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
    Map<String, byte[][]> disks = new LinkedHashMap<>();
    states.get(states.size() - 1).disks().forEach((name, bytes) -> disks.put(name, bytes.clone()));
    Instant begun = Instant.now();
    for (var e : volumes().entrySet()) {
      byte[][] model = disks.get(e.getKey());
      try (BlockDevice disk = platform.get().open(e.getValue(), true)) {
        for (int i = 0; i < writes; i++) {
          int block = random.nextInt(model.length);
          byte[] bytes = new byte[random.nextInt(3) == 0 ? 512 : BLOCK];
          int way = random.nextInt(4);
          if (way == 0) {
            Held before = states.get(random.nextInt(states.size()));
            byte[] former = before.disks().get(e.getKey())[block];
            System.arraycopy(former, 0, bytes, 0, bytes.length);
          } else if (way > 1) {
            random.nextBytes(bytes);
          }
          disk.write((long) block * BLOCK, ByteBuffer.wrap(bytes));
          model[block] = model[block].clone();
          System.arraycopy(bytes, 0, model[block], 0, bytes.length);
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
