package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.Ranges;
import java.io.IOException;
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

  /**
   * Bytes written after which the target is flushed at the latest: its storage has work all the
   * time then, and not much is left at the end.
   */
  private static final long EVERY_BYTES = 128L * 1024 * 1024;

  private final DiskWork work;
  private final PassWatcher watcher;
  private final Connections target;
  private final int connections;
  private final Verification verification;

  /** The connection that is flushed on: one of its own once more than the last flush is needed. */
  private int aside;

  private final ReentrantLock one = new ReentrantLock();
  private volatile long last = System.nanoTime();
  private volatile long sentBefore;
  private volatile boolean failed;

  /**
   * @param connections how many of those to the target bytes go over
   */
  Flushes(
      DiskWork work,
      PassWatcher watcher,
      Connections target,
      int connections,
      Verification verification) {
    this.connections = connections;
    this.target = target;
    this.verification = verification;
    this.work = work;
    this.watcher = watcher;
  }

  /** Called by a worker after each chunk. */
  void chunkFinished() throws IOException {
    if (!due() || !one.tryLock()) {
      return;
    }
    try {
      if (due()) {
        aside = connections;
        flush();
      }
    } finally {
      one.unlock();
    }
  }

  private boolean due() {
    return System.nanoTime() - last >= EVERY_NS
        || work.progress().sent() - sentBefore >= EVERY_BYTES;
  }

  /**
   * Flushes what is finished, and tells the watermark; handles are still open. After a flush that
   * failed none is tried again: an operating system tells a failed write once, and the next flush
   * succeeds without those bytes (fsync(2), EIO). A tally writes nothing and has no target.
   */
  void flush() throws IOException {
    if (work.pass().kind() == PassKind.TALLY) {
      last = System.nanoTime();
      return;
    }
    if (failed) {
      throw new IOException("the target failed to flush before");
    }
    long below = work.finishedBelow();
    Ranges written = verification.beforeFlush();
    sentBefore = work.progress().sent();
    failed = true;
    if (target.get(0).flushesForAll()) {
      // Aside from where bytes go: a disk server may do one thing at a time on a connection.
      target.get(aside).flush();
    } else {
      for (BlockDevice device : target.open()) {
        device.flush();
      }
    }
    failed = false;
    verification.flushed(written);
    last = System.nanoTime();
    watcher.progress(work.flushed(below));
  }
}
