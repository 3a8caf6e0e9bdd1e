package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.Arrays;
import java.util.Optional;

/**
 * One worker: looks at chunk after chunk, block by block, and ships the runs of blocks that must be
 * shipped. Ranges that were flushed meanwhile it verifies first.
 */
final class ChunkShipper {

  private final Sides sides;
  private final int connection;
  private final DiskWork work;
  private final Flushes flushes;
  private final Verification verification;
  private final PassWatcher watcher;
  private final ByteBuffer buffer = ByteBuffer.allocateDirect(PassEngine.CHUNK);
  private ByteBuffer back = ByteBuffer.allocate(0);
  private volatile boolean readBack;

  /**
   * @param connection which one of each side it uses; others may use it too
   */
  ChunkShipper(
      Sides sides,
      int connection,
      DiskWork work,
      Flushes flushes,
      Verification verification,
      PassWatcher watcher) {
    this.sides = sides;
    this.connection = connection;
    this.work = work;
    this.flushes = flushes;
    this.verification = verification;
    this.watcher = watcher;
  }

  /** Whether it verified anything by reading it back. */
  boolean readBack() {
    return readBack;
  }

  /** Ships chunks until none is left. */
  void ship() throws IOException {
    for (Optional<DiskWork.Chunk> chunk = work.take(); chunk.isPresent(); chunk = work.take()) {
      checkInterrupted();
      ship(chunk.get());
      watcher.progress(work.finished(chunk.get()));
      flushes.chunkFinished();
      verify();
    }
  }

  private static void checkInterrupted() throws IOException {
    if (Thread.interrupted()) {
      throw new IOException("the pass was interrupted");
    }
  }

  private void ship(DiskWork.Chunk chunk) throws IOException {
    if (chunk.zero()) {
      zero(chunk.range(), chunk.blank());
    } else {
      data(chunk.range());
    }
    work.looked(chunk.range().length());
  }

  /** Verifies what was flushed, until nothing of it is left. */
  void verify() throws IOException {
    for (Optional<Range> r = verification.take(); r.isPresent(); r = verification.take()) {
      checkInterrupted();
      verify(r.get());
      watcher.progress(work.progress());
    }
  }

  private void verify(Range range) throws IOException {
    byte[][] held = digests(range);
    for (int i = 0; i < held.length; i++) {
      if (!work.digests().holds(block(range.start()) + i, held[i])) {
        long at = range.start() + (long) i * BlockDigest.BLOCK;
        throw new VerifyException(at, Math.min(BlockDigest.BLOCK, range.end() - at));
      }
    }
    readBack |= !checked().tellsDigests();
  }

  /** The digests of what the side that is checked holds. */
  private byte[][] digests(Range range) throws IOException {
    BlockDigest by = work.digests().by();
    BlockDevice device = checked();
    if (device.tellsDigests()) {
      return device.digests(by, range.start(), range.length());
    }
    if (back.capacity() < range.length()) {
      back = ByteBuffer.allocateDirect(PassEngine.CHUNK);
    }
    return by.of(read(device, range, back));
  }

  private BlockDevice checked() throws IOException {
    return sides.checked().get(connection);
  }

  private void zero(Range chunk, boolean blank) throws IOException {
    long from = -1;
    for (long at = chunk.start(); at < chunk.end(); at += BlockDigest.BLOCK) {
      long end = Math.min(chunk.end(), at + BlockDigest.BLOCK);
      boolean ship = differsFromZero(at, end, blank);
      if (ship && from < 0) {
        from = at;
      }
      if (!ship && from >= 0) {
        shipZero(new Range(from, at));
        from = -1;
      }
      if (work.pass().kind() != PassKind.TALLY) {
        work.digests().setZero(block(at));
      }
    }
    if (from >= 0) {
      shipZero(new Range(from, chunk.end()));
    }
  }

  private boolean differsFromZero(long at, long end, boolean blank) throws IOException {
    if (work.pass().kind() == PassKind.TALLY || work.digestKnown(at, end)) {
      return !work.digests().isZero(block(at));
    }
    return work.pass().kind() != PassKind.FULL
        && !blank
        && !BlockDigest.isZero(digests(new Range(at, end))[0]);
  }

  private void shipZero(Range range) throws IOException {
    work.shipped(range.start(), range.end(), true);
    if (work.pass().kind() != PassKind.TALLY) {
      sides.to().get(connection).writeZeroes(range.start(), range.length());
      written(range);
    }
  }

  private void written(Range range) {
    if (work.pass().verify()) {
      verification.written(range);
    }
  }

  private void data(Range chunk) throws IOException {
    byte[][] digests = source(chunk);
    work.wasRead(chunk.length());
    byte[][] replica = null;
    // What an earlier attempt says that it shipped is not taken on its word: it is compared.
    boolean told = chunk.end() <= work.pass().resumeFrom();
    long from = -1;
    boolean fromZero = false;
    for (long at = chunk.start(); at < chunk.end(); at += BlockDigest.BLOCK) {
      long end = Math.min(chunk.end(), at + BlockDigest.BLOCK);
      int i = (int) ((at - chunk.start()) / BlockDigest.BLOCK);
      boolean ship;
      if (work.pass().kind() == PassKind.TALLY || work.digestKnown(at, end) && !told) {
        ship = !work.digests().holds(block(at), digests[i]);
      } else if (work.pass().kind() == PassKind.FULL && !told) {
        ship = true;
      } else {
        if (replica == null) {
          replica = digests(chunk);
        }
        ship = !Arrays.equals(digests[i], replica[i]);
      }
      if (work.pass().kind() != PassKind.TALLY) {
        work.digests().set(block(at), digests[i]);
      }
      boolean zero = ship && BlockDigest.isZero(digests[i]);
      if (from >= 0 && (!ship || zero != fromZero)) {
        shipRun(chunk, from, at, fromZero);
        from = -1;
      }
      if (ship && from < 0) {
        from = at;
        fromZero = zero;
      }
    }
    if (from >= 0) {
      shipRun(chunk, from, chunk.end(), fromZero);
    }
  }

  /** The digests of what the source holds; its bytes are then in the buffer, but for a tally. */
  private byte[][] source(Range chunk) throws IOException {
    if (work.pass().kind() == PassKind.TALLY) {
      return digests(chunk);
    }
    return work.digests().by().of(read(sides.from().get(connection), chunk, buffer));
  }

  private void shipRun(Range chunk, long from, long to, boolean zero) throws IOException {
    if (zero) {
      if (work.pass().kind() != PassKind.FULL || chunk.end() <= work.pass().resumeFrom()) {
        shipZero(new Range(from, to));
      }
      return;
    }
    work.shipped(from, to, false);
    if (work.pass().kind() != PassKind.TALLY) {
      int at = (int) (from - chunk.start());
      sides.to().get(connection).write(from, buffer.slice(at, (int) (to - from)));
      written(new Range(from, to));
    }
  }

  private static long block(long at) {
    return at / BlockDigest.BLOCK;
  }

  private static ByteBuffer read(BlockDevice device, Range range, ByteBuffer into)
      throws IOException {
    into.clear().limit((int) range.length());
    device.read(range.start(), into);
    return into.flip();
  }
}
