package bargelane.standins;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.standins.store.Volume;
import bargelane.standins.store.VolumeRecord;
import bargelane.standins.store.VolumeStore;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class VolumeStoreTest {

  private static final int SIZE = 10 * 65536 + 4096;

  @TempDir Path dir;

  private static byte[] all(BlockDevice device) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate((int) device.size());
    device.read(0, bytes);
    return bytes.array();
  }

  private static VolumeRecord record(String name) {
    return new VolumeRecord(name, SIZE, "shelf", "", false);
  }

  @Test
  void aCloneHasTheKeyOfItsVolumeThoughThatIsGone() throws IOException {
    try (VolumeStore store = VolumeStore.open(dir, 65536, true)) {
      store.create(new VolumeRecord("v", SIZE, "shelf", "", false, "k"));
      store.freeze("p", "o", List.of("v"));
      store.delete("v");
    }
    try (VolumeStore store = VolumeStore.open(dir, 65536, true)) {
      assertEquals("k", store.clone(record("c"), "p", "v").record().key());
    }
  }

  /** Random writes, points, clones, snapshots, deletions and restarts against copies in memory. */
  @Test
  void whateverIsDoneEachPointCloneAndSnapshotHoldsItsOwnBytes() throws IOException {
    Random random = new Random(4);
    VolumeStore store = VolumeStore.open(dir, 65536, true);
    store.create(record("v0"));
    Map<String, byte[]> volumes = new HashMap<>(Map.of("v0", new byte[SIZE]));
    Map<String, byte[]> points = new HashMap<>();
    Map<String, byte[]> snapshots = new HashMap<>();
    for (int step = 0; step < 600; step++) {
      List<String> names = volumes.keySet().stream().sorted().toList();
      String name = names.get(random.nextInt(names.size()));
      switch (random.nextInt(9)) {
        case 0, 1, 2 -> {
          byte[] data = new byte[1 + random.nextInt(100_000)];
          random.nextBytes(data);
          int at = random.nextInt(SIZE - data.length);
          store.volume(name).write(at, ByteBuffer.wrap(data));
          System.arraycopy(data, 0, volumes.get(name), at, data.length);
        }
        case 3 -> {
          int length = 1 + random.nextInt(200_000);
          int at = random.nextInt(SIZE - length);
          store.volume(name).writeZeroes(at, length);
          java.util.Arrays.fill(volumes.get(name), at, at + length, (byte) 0);
        }
        case 4 -> {
          String point = "p" + step + "@" + name;
          store.freeze(point, "o", List.of(name));
          points.put(point, volumes.get(name).clone());
        }
        case 5 -> {
          if (!points.isEmpty() && volumes.size() < 5) {
            String point =
                points.keySet().stream().sorted().toList().get(random.nextInt(points.size()));
            store.clone(record("v" + step), point, point.substring(point.indexOf('@') + 1));
            volumes.put("v" + step, points.get(point).clone());
          }
        }
        case 6 -> {
          if (points.size() > 3) {
            String point =
                points.keySet().stream().sorted().toList().get(random.nextInt(points.size()));
            store.deletePoint(point);
            points.remove(point);
          } else if (volumes.size() > 3) {
            store.delete(name);
            volumes.remove(name);
            snapshots.keySet().removeIf(s -> s.endsWith("@" + name));
          }
        }
        case 7 -> {
          String snapshot = "s" + step + "@" + name;
          store.snapshot(snapshot, "o", List.of(name));
          snapshots.put(snapshot, volumes.get(name).clone());
        }
        default -> {
          store.close();
          store = VolumeStore.open(dir, 65536, true);
        }
      }
      if (step % 20 == 0) {
        for (Map.Entry<String, byte[]> v : volumes.entrySet()) {
          assertArrayEquals(
              v.getValue(), all(store.volume(v.getKey())), v.getKey() + " after step " + step);
          told(store.volume(v.getKey()), v.getValue(), random);
        }
        for (Map.Entry<String, byte[]> s : snapshots.entrySet()) {
          String volume = s.getKey().substring(s.getKey().indexOf('@') + 1);
          assertArrayEquals(
              s.getValue(), all(store.view(s.getKey(), volume, Optional.empty())), s.getKey());
          told(store.view(s.getKey(), volume, Optional.empty()), s.getValue(), random);
        }
      }
    }
    for (Map.Entry<String, byte[]> p : points.entrySet()) {
      String clone = "check-" + p.getKey();
      store.clone(record(clone), p.getKey(), p.getKey().substring(p.getKey().indexOf('@') + 1));
      assertArrayEquals(p.getValue(), all(store.volume(clone)), p.getKey());
      String volume = p.getKey().substring(p.getKey().indexOf('@') + 1);
      try (BlockDevice frozen = store.frozen(p.getKey(), volume)) {
        assertArrayEquals(p.getValue(), all(frozen), p.getKey());
        told(frozen, p.getValue(), random);
      }
    }
    store.close();
  }

  /** Extents of any range cover it without a gap, and what they tell as zero is zero. */
  private static void told(BlockDevice device, byte[] bytes, Random random) throws IOException {
    int from = random.nextInt(SIZE);
    int to = from + 1 + random.nextInt(SIZE - from);
    long at = from;
    for (BlockDevice.Extent e : device.status(Context.ALLOCATION, from, to - from)) {
      assertEquals(at, e.offset());
      at += e.length();
      for (long i = e.offset(); !e.set() && i < at; i++) {
        assertEquals(0, bytes[(int) i], "byte " + i + " is told as zero");
      }
    }
    assertEquals(to, at);
  }

  @Test
  void changesSinceAMarkerAreToldAndNeverTooFew() throws IOException {
    VolumeStore store = VolumeStore.open(dir, 65536, true);
    Volume volume = store.create(record("v"));
    store.mark("m", "o", List.of("v"));
    volume.write(65536 * 3L, ByteBuffer.wrap(new byte[] {1}));
    store.snapshot("s", "o", List.of("v"));
    volume.write(65536 * 5L, ByteBuffer.wrap(new byte[] {1}));
    List<BlockDevice.Extent> changed =
        store.view("s", "v", Optional.of("m")).status(Context.CHANGED, 0, SIZE).stream()
            .filter(BlockDevice.Extent::set)
            .toList();
    assertEquals(
        List.of(new BlockDevice.Extent(65536 * 3L, 65536, true)),
        changed,
        "what came after the snapshot is not in it");
    store.close();
  }

  @Test
  void fullScratchRoomDropsTheSnapshotAndTheGuestsWriteGoesOn() throws IOException {
    VolumeStore store = VolumeStore.open(dir, 65536, true);
    Volume volume = store.create(record("v"));
    byte[] data = new byte[SIZE];
    java.util.Arrays.fill(data, (byte) 7);
    volume.write(0, ByteBuffer.wrap(data));
    store.bounds(2 * 65536, Long.MAX_VALUE);
    store.snapshot("s", "o", List.of("v"));
    volume.write(0, ByteBuffer.wrap(new byte[65536 * 2]));
    assertFalse(store.snapshot("s", "v").dropped());
    volume.write(65536 * 4L, ByteBuffer.wrap(new byte[] {1}));
    assertTrue(store.snapshot("s", "v").dropped());
    assertThrows(IOException.class, () -> all(store.view("s", "v", Optional.empty())));
    assertEquals(1, all(volume)[65536 * 4]);
    store.close();
  }

  @Test
  void aKilledPlatformForgetsItsMarkersIfItIsOfThatKind() throws IOException {
    VolumeStore killed = VolumeStore.open(dir, 65536, false);
    killed.create(record("v")).write(0, ByteBuffer.wrap(new byte[] {5}));
    killed.mark("m", "o", List.of("v"));
    // Not closed: as after a kill.
    try (VolumeStore again = VolumeStore.open(dir, 65536, false)) {
      assertTrue(again.markers().isEmpty());
      assertEquals(5, all(again.volume("v"))[0], "the bytes are all there");
      again.mark("n", "o", List.of("v"));
    }
    try (VolumeStore calm = VolumeStore.open(dir, 65536, false)) {
      assertEquals(java.util.Set.of("n"), calm.markers().keySet());
    }
  }

  @Test
  void fullStorageRefusesOnlyTheReplicasWrites() throws IOException {
    VolumeStore store = VolumeStore.open(dir, 65536, true);
    store.bounds(Long.MAX_VALUE, 3 * 65536);
    Volume thick = store.create(new VolumeRecord("own", SIZE, "shelf", "", true));
    Volume replica = store.create(record("replica"));
    thick.write(0, ByteBuffer.allocate(65536 * 3));
    assertThrows(
        BlockDevice.NoSpaceException.class, () -> replica.write(0, ByteBuffer.allocate(65536)));
    thick.write(65536 * 5L, ByteBuffer.allocate(65536));
    store.close();
  }
}
