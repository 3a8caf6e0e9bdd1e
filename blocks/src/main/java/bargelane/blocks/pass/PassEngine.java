package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/**
 * Ships one disk. Workers take chunk after chunk, read it once, digest it once and write what must
 * be written; several share a connection, so that each connection has several requests in flight.
 * Ranges that the source knows to be zero are neither read nor sent. The target is flushed every
 * two seconds and at the end. What was flushed is then verified: by digests that the target tells,
 * or read back.
 *
 * <p>Cost for {@code b} candidate bytes: {@code b} read and digested and written once, and read
 * again at the target; they cross to us again only where the target tells no digests. Memory is two
 * chunks a worker, a bounded number of ranges and 4 MiB of digests, whatever the disk's size.
 */
public final class PassEngine {

  /** Bytes a worker takes at a time; a multiple of the digest block. */
  public static final int CHUNK = 1024 * 1024;

  /** Workers that share a connection: one waits for the source while another one's write goes. */
  private static final int SHARE = 3;

  /** Bytes to look at for which another connection pays. */
  private static final long WORTH_A_CONNECTION = 8 * CHUNK;

  private final int connections;
  private final long worthAConnection;

  /**
   * @param connections to each side, at most; a disk with little to look at gets fewer
   */
  public PassEngine(int connections) {
    this(connections, WORTH_A_CONNECTION);
  }

  PassEngine(int connections, long worthAConnection) {
    if (connections < 1) {
      throw new IllegalArgumentException("connections: " + connections);
    }
    this.connections = connections;
    this.worthAConnection = worthAConnection;
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
    boolean tally = pass.kind() == PassKind.TALLY;
    DigestVolume.Beat begins =
        () -> watcher.progress(new PassProgress(0, 0, 0, 0, 0, pass.resumeFrom()));
    try (Connections from = new Connections(source)) {
      Optional<Candidates> tracked = DiskWork.tracked(from.get(0), pass, begins);
      Optional<PassResult> unchanged = unchanged(from.get(0).size(), tracked, pass);
      if (unchanged.isPresent()) {
        return unchanged.get();
      }
      try (BlockDevice known = digests.open()) {
        // A pass that trusts no digest writes all of them anew, whatever is there.
        DigestVolume tree =
            pass.mayDifferAnywhere() ? DigestVolume.openUntrusted(known) : DigestVolume.open(known);
        if (tally && tree.size() == 0) {
          throw new IOException("there are no finished digests to hold the disk against");
        }
        try (Connections to = new Connections(target);
            Connections checked =
                new Connections(() -> (tally ? source : target).open(tree.by()))) {
          if (!tally && to.get(0).size() < from.get(0).size()) {
            throw new SizeException(to.get(0).size(), from.get(0).size());
          }
          Sides sides = new Sides(from, to, checked);
          return run(sides, new DiskWork(sides, tree, pass, tracked), watcher);
        }
      }
    }
  }

  /** What a pass comes to that has nothing to do, by what its digests are known to say. */
  private static Optional<PassResult> unchanged(
      long size, Optional<Candidates> tracked, DiskPass pass) {
    boolean none = tracked.isPresent() && tracked.get().ranges().isEmpty();
    return pass.known()
        .filter(k -> none && k.size() == size && pass.mayDiffer().isEmpty())
        .map(
            k ->
                new PassResult(
                    k.root(), new Ranges(), new PassProgress(0, 0, 0, 0, 0, size), false));
  }

  private PassResult run(Sides sides, DiskWork work, PassWatcher watcher) throws IOException {
    DiskPass pass = work.pass();
    boolean tally = pass.kind() == PassKind.TALLY;
    if (!tally) {
      boolean anywhere = pass.kind() == PassKind.COMPARE || pass.mayDifferAnywhere();
      watcher.intent(work.candidates(), anywhere);
    }
    int busy = (int) Math.max(1, Math.min(connections, work.progress().total() / worthAConnection));
    Verification verification = new Verification();
    Flushes flushes = new Flushes(work, watcher, sides.to(), busy, verification);
    List<ChunkShipper> shippers = new ArrayList<>();
    for (int i = 0; i < (busy == 1 ? 1 : busy * SHARE); i++) {
      shippers.add(new ChunkShipper(sides, i % busy, work, flushes, verification, watcher));
    }
    ship(shippers, flushes, tally);
    String root =
        tally
            ? ""
            : work.digests()
                .finish(sides.from().get(0).size(), () -> watcher.progress(work.progress()));
    boolean readBack = shippers.stream().anyMatch(ChunkShipper::readBack);
    return new PassResult(root, work.differed(), work.progress(), readBack);
  }

  private static void ship(List<ChunkShipper> shippers, Flushes flushes, boolean tally)
      throws IOException {
    ExecutorService pool = Executors.newFixedThreadPool(shippers.size());
    try {
      all(pool, shippers, ChunkShipper::ship);
      if (!tally) {
        flushes.flush();
        all(pool, shippers, ChunkShipper::verify);
      }
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

  private interface Part {
    void run(ChunkShipper shipper) throws IOException;
  }

  /** Has all of them do their part of something. */
  private static void all(ExecutorService pool, List<ChunkShipper> shippers, Part part)
      throws InterruptedException, ExecutionException {
    List<Future<?>> running = new ArrayList<>();
    for (ChunkShipper shipper : shippers) {
      running.add(
          pool.submit(
              () -> {
                part.run(shipper);
                return null;
              }));
    }
    for (Future<?> f : running) {
      f.get();
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
}
