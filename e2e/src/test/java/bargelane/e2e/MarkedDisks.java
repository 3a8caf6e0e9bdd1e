package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;

/**
 * Disks that are given to a machine of a simulated platform, each marked as itself.
 *
 * @param machine that gets them
 * @param like one whose first disk they begin as
 */
record MarkedDisks(String machine, String like) {

  private static final int CHUNK = 1 << 20;

  /** Where each disk is marked as itself, before its first partition. */
  private static final int MARK_AT = 512 << 10;

  /**
   * Gives the machine another disk with a file system.
   *
   * @param place where it is then among the machine's disks
   */
  void attach(Platform at, String volume, String storage, int place) throws IOException {
    List<String> disks = new ArrayList<>(at.disks(machine));
    String first = at.disks(like).get(0);
    try (BlockDevice model = at.open(first, false)) {
      at.call(
          "POST",
          "/v1/volumes",
          Map.of("name", volume, "sizeBytes", model.size(), "storageClass", storage));
      try (BlockDevice made = at.open(volume, true)) {
        copy(model, made);
        made.write(MARK_AT, ByteBuffer.wrap(mark(volume)));
        made.flush();
      }
    }
    at.closeLook(first);
    at.closeLook(volume);
    disks.add(place, volume);
    give(at, disks);
  }

  void give(Platform at, List<String> disks) throws IOException {
    String path = "/v1/machines/" + at.machine(machine).path("id").asText();
    at.call("POST", path + "/stop", null);
    at.call("PUT", path + "/disks", Map.of("disks", disks));
    at.call("POST", path + "/start", null);
  }

  static byte[] mark(String volume) {
    byte[] bytes = new byte[4096];
    new Random(volume.hashCode()).nextBytes(bytes);
    return bytes;
  }

  static byte[] markOf(Platform at, String volume) throws IOException {
    byte[] bytes = new byte[4096];
    try (BlockDevice disk = at.open(volume, false)) {
      disk.read(MARK_AT, ByteBuffer.wrap(bytes));
    }
    at.closeLook(volume);
    return bytes;
  }

  static void copy(BlockDevice from, BlockDevice to) throws IOException {
    for (BlockDevice.Extent e : from.status(BlockDevice.Context.ALLOCATION, 0, from.size())) {
      for (long at = e.offset(); e.set() && at < e.offset() + e.length(); at += CHUNK) {
        ByteBuffer some = ByteBuffer.allocate((int) Math.min(CHUNK, e.offset() + e.length() - at));
        from.read(at, some);
        to.write(at, some.rewind());
      }
    }
  }
}
