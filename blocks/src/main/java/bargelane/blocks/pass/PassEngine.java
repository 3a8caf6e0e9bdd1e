package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.pass.DiskWork.Chunk;
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
 * once; memory is two chunks a worker, a bounded number of ranges and 4 MiB of digests, whatever
 * the disk's size.
 */
public final class PassEngine {

  /** Bytes a worker takes at a time; a multiple of the digest block. */
  public static final int CHUNK = 1024 * 1024;

  /** Bytes to look at for which another pair of connections pays. */
  private static final long WORTH_A_WORKER = 8 * CHUNK;

  private final int workers;
  private final long worthAWorker;

  /**
   * @param workers pairs of connections, at most; a disk with little to look at gets fewer
   */
  public PassEngine(int workers) {
    this(workers, WORTH_A_WORKER);
  }

  PassEngine(int workers, long worthAWorker) {
    if (workers < 1) {
      throw new IllegalArgumentException("workers: " + workers);
    }
    this.workers = workers;
    this.worthAWorker = worthAWorker;
  }

  /**
   * Runs one pass over one disk.
   *
   * @param target not opened for a tally
   * @param digests the digests of what the replica holds, brought up to date; those that the source
   *     is held against for a tally, which must be finished ones and are not written
   * @throws SizeException if the source is larger than the replica; nothing is written then
   * @throws VerifyException if the target does not hold what was sent
   * @throws IOException if one of them fails; ranges named by the intent are then in doubt
   */
  public PassResult run(
      Opener source, Opener target, Opener digests, DiskPass pass, PassWatcher watcher)
      throws IOException {
    List<BlockDevice> sinks = new ArrayList<>();
    try (BlockDevice first = source.open();
        BlockDevice known = digests.open()) {
      boolean tally = pass.kind() == PassKind.TALLY;
      // A pass that trusts no digest writes all of them anew, whatever is there.
      DigestVolume tree =
          pass.mayDifferAnywhere() ? DigestVolume.openUntrusted(known) : DigestVolume.open(known);
      if (tally && tree.size() == 0) {
        throw new IOException("there are no finished digests to hold the disk against");
      }
      if (!tally) {
        sinks.add(target.open());
        if (sinks.get(0).size() < first.size()) {
          throw new SizeException(sinks.get(0).size(), first.size());
        }
      }
      DigestVolume.Beat begins =
          () -> watcher.progress(new PassProgress(0, 0, 0, 0, 0, pass.resumeFrom()));
      DiskWork work = new DiskWork(first, sinks.stream().findFirst(), tree, pass, begins);
      if (!tally) {
        boolean anywhere = pass.kind() == PassKind.COMPARE || pass.mayDifferAnywhere();
        watcher.intent(work.candidates(), anywhere);
      }
      int busy = (int) Math.max(1, Math.min(workers, work.progress().total() / worthAWorker));
      while (!tally && sinks.size() < busy) {
        sinks.add(target.open());
      }
      Flushes flushes = new Flushes(work, watcher, sinks);
      ship(first, source, busy, sinks, work, flushes, watcher);
      String root = tally ? "" : tree.finish(first.size(), () -> watcher.progress(work.progress()));
      return new PassResult(root, work.differed(), work.progress());
    } finally {
      for (BlockDevice sink : sinks) {
        sink.close();
      }
    }
  }

  private static void ship(
      BlockDevice first,
      Opener source,
      int workers,
      List<BlockDevice> sinks,
      DiskWork work,
      Flushes flushes,
      PassWatcher watcher)
      throws IOException {
    ExecutorService pool = Executors.newFixedThreadPool(workers);
    List<Future<?>> running = new ArrayList<>();
    try {
      for (int i = 0; i < workers; i++) {
        BlockDevice sink = sinks.isEmpty() ? null : sinks.get(i);
        boolean another = i > 0;
        running.add(
            pool.submit(
                () -> {
                  BlockDevice from = another ? source.open() : first;
                  try {
                    worker(from, sink, work, flushes, watcher);
                  } finally {
                    if (another) {
                      from.close();
                    }
                  }
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
      BlockDevice from, BlockDevice to, DiskWork work, Flushes flushes, PassWatcher watcher)
      throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(CHUNK);
    ByteBuffer back = ByteBuffer.allocate(CHUNK);
    for (Optional<Chunk> chunk = work.take(); chunk.isPresent(); chunk = work.take()) {
      if (Thread.interrupted()) {
        throw new IOException("the pass was interrupted");
      }
      new ChunkShipper(from, to, work, buffer, back).ship(chunk.get());
      watcher.progress(work.finished(chunk.get()));
      flushes.chunkFinished();
    }
  }
}
