package bargelane.standins.guest;

import bargelane.blocks.BlockDevice;
import bargelane.standins.guest.Ring.Entry;
import java.io.Closeable;
import java.io.IOException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What a powered-on guest does: ten times a second it writes the next record to the ring of each of
 * its disks, in the disks' order. At any instant a later disk is at most one record behind an
 * earlier one.
 */
public final class Workload implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(Workload.class);
  private static final long PERIOD_MS = 100;

  private final String machine;
  private final String origin;
  private final List<Ring> rings;
  private final Clock clock;
  private final AtomicLong next;
  private final AtomicLong failures = new AtomicLong();
  private final ScheduledFuture<?> beat;

  private Workload(
      String machine,
      String origin,
      List<Ring> rings,
      long next,
      Clock clock,
      ScheduledExecutorService pool) {
    this.machine = machine;
    this.origin = origin;
    this.rings = rings;
    this.next = new AtomicLong(next);
    this.clock = clock;
    this.beat = pool.scheduleAtFixedRate(this::write, 0, PERIOD_MS, TimeUnit.MILLISECONDS);
  }

  /** Starts a guest on its disks; it goes on after the newest record that any of them holds. */
  public static Workload start(
      String machine,
      String origin,
      List<? extends BlockDevice> disks,
      Clock clock,
      ScheduledExecutorService pool)
      throws IOException {
    List<Ring> rings = new ArrayList<>();
    long newest = 0;
    for (BlockDevice disk : disks) {
      Ring ring = Ring.open(disk);
      rings.add(ring);
      newest = Math.max(newest, ring.newest().map(Entry::sequence).orElse(0L));
    }
    return new Workload(machine, origin, rings, newest + 1, clock, pool);
  }

  private synchronized void write() {
    try {
      Entry entry = new Entry(next.get(), clock.instant(), origin);
      for (Ring ring : rings) {
        ring.write(entry);
      }
      next.incrementAndGet();
    } catch (IOException | RuntimeException e) {
      failures.incrementAndGet();
      log.warn("a write of guest {} failed", machine, e);
    }
  }

  /** Number of the newest record. */
  public long newest() {
    return next.get() - 1;
  }

  /** Writes that failed: a guest must never see one because of us. */
  public long failures() {
    return failures.get();
  }

  /** Stops after the record being written. */
  @Override
  public void close() {
    synchronized (this) {
      beat.cancel(false);
    }
  }
}
