package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.ReentrantLock;

/**
 * Lets the watermark of a disk follow what is on stable storage at the target. Now and then one of
 * the workers flushes while the others go on: what was finished before the flush began is then
 * below the watermark.
 */
final class Flushes {

  /** Time between two flushes: what a target that dies costs at most, besides the flush itself. */
  private static final long EVERY_NS = TimeUnit.SECONDS.toNanos(2);

  private final DiskWork work;
  private final PassWatcher watcher;
  private final List<BlockDevice> open;
  private final ReentrantLock one = new ReentrantLock();
  private volatile long last = System.nanoTime();
  private volatile boolean failed;

  Flushes(DiskWork work, PassWatcher watcher, List<BlockDevice> open) {
    this.open = List.copyOf(open);
    this.work = work;
    this.watcher = watcher;
  }

  /** Called by a worker after each chunk. */
  void chunkFinished() throws IOException {
    if (System.nanoTime() - last < EVERY_NS || !one.tryLock()) {
      return;
    }
    try {
      if (System.nanoTime() - last >= EVERY_NS) {
        flush();
      }
    } finally {
      one.unlock();
    }
  }

  /**
   * Flushes what is finished, and tells the watermark; handles are still open. After a flush that
   * failed none is tried again: an operating system tells a failed write once, and the next flush
   * succeeds without those bytes (fsync(2), EIO).
   */
  void flush() throws IOException {
    if (failed) {
      throw new IOException("the target failed to flush before");
    }
    long below = work.finishedBelow();
    failed = true;
    for (BlockDevice device : open) {
      device.flush();
      if (device.flushesForAll()) {
        break;
      }
    }
    failed = false;
    last = System.nanoTime();
    watcher.progress(work.flushed(below));
  }
}
