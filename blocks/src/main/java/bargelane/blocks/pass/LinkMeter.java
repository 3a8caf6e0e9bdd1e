package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;

/**
 * Measures what the way to two disks carries: how long an answer takes, and how much is copied from
 * one to the other in a time, as a pass does it. Both disks are ours and hold nothing.
 *
 * <p>Memory: a chunk for each of {@value #REQUESTS} requests a connection.
 */
public final class LinkMeter {

  /**
   * So little that a slow link answers each request within the time that one is given, and so much
   * that it is no matter of round trips.
   */
  public static final int SMALL = 256 << 10;

  /** What a pass takes at once. */
  public static final int LARGE = 1 << 20;

  /** Bytes a second from which on a link answers large requests soon enough. */
  private static final long FAST = 16L << 20;

  /** Requests that are on their way on each connection. */
  static final int REQUESTS = 3;

  private static final int ASKED = 15;
  private static final int SECTOR = 4096;

  private LinkMeter() {}

  /** What was copied, and how long it took with what makes it lasting. */
  public record Moved(long bytes, Duration time) {

    /** Bytes a second. */
    public long rate() {
      return Math.round(bytes * 1e9 / Math.max(1, time.toNanos()));
    }

    /**
     * Bytes of a request with which this link is measured on.
     *
     * @param all that are copied, of which these are a part without a rest
     */
    public int chunk(long all) {
      return rate() >= FAST && all % LARGE == 0 ? LARGE : SMALL;
    }
  }

  /** The median of what {@value #ASKED} answers to the shortest reads take, one after the other. */
  public static Duration delay(BlockDevice disk) throws IOException {
    long[] each = new long[ASKED];
    ByteBuffer sector = ByteBuffer.allocateDirect(SECTOR);
    for (int i = 0; i < ASKED; i++) {
      long begun = System.nanoTime();
      disk.read(0, sector.clear());
      each[i] = System.nanoTime() - begun;
    }
    Arrays.sort(each);
    return Duration.ofNanos(each[ASKED / 2]);
  }

  /**
   * Fills the beginning of a disk with what can't be made shorter on the way.
   *
   * @param longest after which no further chunk is begun
   * @return bytes that hold it, in whole small chunks; one at least
   */
  public static long fill(BlockDevice disk, Duration longest) throws IOException {
    SplittableRandom random = new SplittableRandom();
    byte[] bytes = new byte[SMALL];
    long until = System.nanoTime() + longest.toNanos();
    long at = 0;
    do {
      random.nextBytes(bytes);
      disk.write(at, ByteBuffer.wrap(bytes));
      at += SMALL;
    } while (at + SMALL <= disk.size() && System.nanoTime() < until);
    disk.flush();
    return at;
  }

  /**
   * Copies the beginning of one disk to the other, and again from there on while there is time.
   *
   * @param from connections to the one
   * @param to as many to the other
   * @param bytes of the beginning, in whole chunks
   * @param longest after which no further chunk is begun; each request in flight copies one
   * @param chunk bytes of a request
   */
  public static Moved copy(
      List<? extends BlockDevice> from,
      List<? extends BlockDevice> to,
      long bytes,
      Duration longest,
      int chunk)
      throws IOException {
    AtomicLong next = new AtomicLong();
    AtomicLong moved = new AtomicLong();
    long begun = System.nanoTime();
    long until = begun + longest.toNanos();
    ExecutorService workers = Executors.newFixedThreadPool(from.size() * REQUESTS);
    try {
      List<Future<?>> all = new ArrayList<>();
      for (int i = 0; i < from.size() * REQUESTS; i++) {
        BlockDevice source = from.get(i % from.size());
        BlockDevice target = to.get(i % from.size());
        all.add(
            workers.submit(
                () -> {
                  ByteBuffer buffer = ByteBuffer.allocateDirect(chunk);
                  do {
                    long at = next.getAndIncrement() * chunk % bytes;
                    source.read(at, buffer.clear());
                    target.write(at, buffer.flip());
                    moved.addAndGet(chunk);
                  } while (System.nanoTime() < until);
                  return null;
                }));
      }
      for (Future<?> f : all) {
        f.get();
      }
      for (BlockDevice target : to) {
        target.flush();
      }
      return new Moved(moved.get(), Duration.ofNanos(System.nanoTime() - begun));
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    } finally {
      workers.shutdownNow();
      ended(workers);
    }
  }

  /** Nobody uses the disks any more when their caller closes them. */
  private static void ended(ExecutorService workers) {
    try {
      workers.awaitTermination(1, TimeUnit.MINUTES);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
