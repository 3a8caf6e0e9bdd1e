package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.LongSupplier;

/**
 * Bounds of room, in bytes: for kept old blocks of snapshots, and for all data of volumes that are
 * not thick.
 */
final class Room {

  private final LongSupplier used;
  private final AtomicLong scratchBlocks = new AtomicLong();
  private volatile long scratchLimit = Long.MAX_VALUE;
  private volatile long capacity = Long.MAX_VALUE;

  /**
   * @param used bytes of data in all layers
   */
  Room(LongSupplier used) {
    this.used = used;
  }

  void bounds(long scratch, long data) {
    scratchLimit = scratch;
    capacity = data;
  }

  boolean takeScratch() {
    if ((scratchBlocks.get() + 1) * Layer.BLOCK > scratchLimit) {
      return false;
    }
    scratchBlocks.incrementAndGet();
    return true;
  }

  void scratchUsed(long blocks) {
    scratchBlocks.addAndGet(blocks);
  }

  void reserve(Volume volume) throws IOException {
    if (!volume.record().thick()
        && capacity != Long.MAX_VALUE
        && used.getAsLong() + Layer.BLOCK > capacity) {
      throw new BlockDevice.NoSpaceException(
          "the storage holds "
              + used.getAsLong()
              + " of "
              + capacity
              + " bytes; volume "
              + volume.record().name()
              + " can't grow");
    }
  }
}
