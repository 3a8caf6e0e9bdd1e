package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.Ranges;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * Ships one disk. Each worker takes the next chunk, reads it once, hashes it once, writes what must
 * be written, reads it back and compares with the buffer it still holds. Ranges that the source
 * knows to be zero are neither read nor sent.
 *
 * <p>Cost for {@code b} candidate bytes: {@code b} read, hashed and written once and read back
 * once; memory is two chunks a worker and 32 bytes a 64 KiB block.
 */
public final class PassEngine {

  /** Bytes a worker takes at a time; a multiple of the digest block. */
  public static final int CHUNK = 1024 * 1024;

  private final int workers;

  public PassEngine(int workers) {
    if (workers < 1) {
      throw new IllegalArgumentException("workers: " + workers);
    }
    this.workers = workers;
  }

  /**
   * Runs one pass over one disk.
   *
   * @param target not opened for a tally
   * @throws VerifyException if the target does not hold what was sent
   * @throws IOException if either side fails; ranges named by the intent are then in doubt
   */
  public PassResult run(Opener source, Opener target, DiskPass pass, PassWatcher watcher)
      throws IOException {
    try (BlockDevice first = source.open()) {
      DiskWork work = DiskWork.plan(first, pass);
      if (pass.kind() != PassKind.TALLY) {
        boolean anywhere = pass.kind() == PassKind.COMPARE || pass.mayDifferAnywhere();
        watcher.intent(work.candidates(), anywhere);
      }
      ExecutorService pool = Executors.newFixedThreadPool(workers);
      List<Future<?>> running = new ArrayList<>();
      try {
        AtomicInteger next = new AtomicInteger();
        for (int i = 0; i < workers; i++) {
          running.add(
              pool.submit(
                  () -> {
                    worker(source, target, work, next, watcher);
                    return null;
                  }));
        }
        for (Future<?> f : running) {
          f.get();
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new IOException("the pass was interrupted", e);
      } catch (ExecutionException e) {
        if (e.getCause() instanceof IOException io) {
          throw io;
        }
        throw new IOException(String.valueOf(e.getCause()), e.getCause());
      } finally {
        pool.shutdownNow();
      }
      if (pass.kind() != PassKind.TALLY) {
        try (BlockDevice sink = target.open()) {
          sink.flush();
        }
      }
      return work.result();
    }
  }

  private static void worker(
      Opener source, Opener target, DiskWork work, AtomicInteger next, PassWatcher watcher)
      throws IOException {
    try (BlockDevice from = source.open();
        BlockDevice to = work.pass().kind() == PassKind.TALLY ? null : target.open()) {
      if (to != null && to.size() < from.size()) {
        throw new IOException("the replica has " + to.size() + " bytes, the source " + from.size());
      }
      ByteBuffer buffer = ByteBuffer.allocate(CHUNK);
      ByteBuffer back = ByteBuffer.allocate(CHUNK);
      for (int i = next.getAndIncrement(); i < work.chunks().size(); i = next.getAndIncrement()) {
        if (Thread.interrupted()) {
          throw new IOException("the pass was interrupted");
        }
        new ChunkShipper(from, to, work, buffer, back).ship(work.chunks().get(i));
        watcher.progress(work.finished(i));
      }
    }
  }

  /** Extents of the whole device under one context, as the set of ranges where the bit is set. */
  static Ranges extents(BlockDevice device, Context context) throws IOException {
    Ranges ranges = new Ranges();
    for (Extent e : device.status(context, 0, device.size())) {
      if (e.set()) {
        ranges.add(e.offset(), e.offset() + e.length());
      }
    }
    return ranges;
  }
}
