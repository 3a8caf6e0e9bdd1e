package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.Ranges;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/**
 * Ships one disk. Each worker takes the next chunk, reads it once, hashes it once, writes what must
 * be written, reads it back and compares with the buffer it still holds. Ranges that the source
 * knows to be zero are neither read nor sent. The target is flushed every two seconds and at the
 * end; only what was flushed is told as done for good.
 *
 * <p>Cost for {@code b} candidate bytes: {@code b} read, hashed and written once and read back
 * once; memory is two chunks a worker, the ranges of the candidates, and the digest map.
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
   * @throws SizeException if the source is larger than the replica; nothing is written then
   * @throws VerifyException if the target does not hold what was sent
   * @throws IOException if either side fails; ranges named by the intent are then in doubt
   */
  public PassResult run(Opener source, Opener target, DiskPass pass, PassWatcher watcher)
      throws IOException {
    try (BlockDevice first = source.open()) {
      DiskWork work = DiskWork.plan(first, pass);
      List<BlockDevice> sinks = new ArrayList<>();
      try {
        Flushes flushes = new Flushes(work, watcher);
        if (pass.kind() != PassKind.TALLY) {
          for (int i = 0; i < workers; i++) {
            BlockDevice sink = target.open();
            sinks.add(sink);
            flushes.join(sink);
            if (sink.size() < first.size()) {
              throw new SizeException(sink.size(), first.size());
            }
          }
          boolean anywhere = pass.kind() == PassKind.COMPARE || pass.mayDifferAnywhere();
          watcher.intent(work.candidates(), anywhere);
        }
        ship(source, sinks, work, flushes, watcher);
        return work.result();
      } finally {
        for (BlockDevice sink : sinks) {
          sink.close();
        }
      }
    }
  }

  private void ship(
      Opener source, List<BlockDevice> sinks, DiskWork work, Flushes flushes, PassWatcher watcher)
      throws IOException {
    ExecutorService pool = Executors.newFixedThreadPool(workers);
    List<Future<?>> running = new ArrayList<>();
    try {
      for (int i = 0; i < workers; i++) {
        BlockDevice sink = sinks.isEmpty() ? null : sinks.get(i);
        running.add(
            pool.submit(
                () -> {
                  worker(source, sink, work, flushes, watcher);
                  return null;
                }));
      }
      for (Future<?> f : running) {
        f.get();
      }
      flushes.flush();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("the pass was interrupted", e);
    } catch (ExecutionException e) {
      keepWhatIsShipped(flushes, e.getCause());
      if (e.getCause() instanceof IOException io) {
        throw io;
      }
      throw new IOException(String.valueOf(e.getCause()), e.getCause());
    } finally {
      pool.shutdownNow();
    }
  }

  /** A pass that fails goes on later behind what can still be flushed now. */
  private static void keepWhatIsShipped(Flushes flushes, Throwable cause) {
    try {
      flushes.flush();
    } catch (IOException e) {
      cause.addSuppressed(e);
    }
  }

  private static void worker(
      Opener source, BlockDevice to, DiskWork work, Flushes flushes, PassWatcher watcher)
      throws IOException {
    try (BlockDevice from = source.open()) {
      ByteBuffer buffer = ByteBuffer.allocate(CHUNK);
      ByteBuffer back = ByteBuffer.allocate(CHUNK);
      for (Optional<Range> chunk = work.take(); chunk.isPresent(); chunk = work.take()) {
        if (Thread.interrupted()) {
          throw new IOException("the pass was interrupted");
        }
        new ChunkShipper(from, to, work, buffer, back).ship(chunk.get());
        watcher.progress(work.finished(chunk.get()));
        flushes.chunkFinished();
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
