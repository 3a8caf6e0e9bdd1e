package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.util.Collections;
import java.util.Iterator;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeSet;

/**
 * The candidates of one disk, given out chunk by chunk, and the tally of what was done with them.
 *
 * <p>The source is asked for extents a GiB at a time, when chunks of that GiB are wanted. What is
 * held is a bounded set of ranges for the whole disk and the exact ones of that GiB, so that memory
 * does not grow with the disk.
 */
final class DiskWork {

  /** Bytes of the disk that the source is asked about at a time; whole spans. */
  private static final long WINDOW = 64 * DigestVolume.SPAN;

  /** The same for the first look at all of it: as much as one request may ask about. */
  private static final long SWEEP = (1L << 31) - BlockDigest.BLOCK;

  /**
   * A piece of the disk to look at.
   *
   * @param zero whether the source knows it as zeroes
   * @param blank whether the target knows it as zeroes
   */
  record Chunk(Range range, boolean zero, boolean blank) {}

  private final BlockDevice source;
  private final Connections target;
  private final DiskPass pass;
  private final long size;
  private final DigestVolume digests;
  private final Candidates candidates;

  /** Everything below was given out, or need not be looked at. */
  private long givenOut;

  private Iterator<Range> inWindow = Collections.emptyIterator();
  private long windowEnd;
  private Ranges allocated = new Ranges();

  /** What the target may hold data in; asked for only where digests don't tell. */
  private Ranges replica = new Ranges();

  /** What is left of the range that chunks are cut from; null when a window is through. */
  private Range left;

  /** Where the chunks that workers have in hand begin. */
  private final TreeSet<Long> inHand = new TreeSet<>();

  private final Candidates differed;
  private long watermark;
  private long total;
  private long done;
  private long read;
  private long sent;
  private long zeroed;

  /**
   * @param sides stay open until the last chunk is taken; the target is not asked in a tally
   * @param tracked what {@link #tracked} gave
   */
  DiskWork(Sides sides, DigestVolume digests, DiskPass pass, Optional<Candidates> tracked)
      throws IOException {
    this.source = sides.from().get(0);
    this.target = sides.to();
    this.digests = digests;
    this.pass = pass;
    this.size = source.size();
    this.candidates = tracked.orElseGet(() -> new Candidates(size));
    this.differed = new Candidates(size);
    this.watermark = pass.resumeFrom();
    if (digests.size() > size) {
      throw new IOException(
          "the source's disk has shrunk: its digests are of "
              + digests.size()
              + " bytes, the source has "
              + size
              + " bytes");
    }
    if (tracked.isEmpty()) {
      candidates.add(0, size);
    } else if (pass.kind() != PassKind.FULL) {
      candidates.addAll(pass.mayDiffer());
      if (digests.size() > 0) {
        candidates.add(digests.size(), size);
      }
    }
    this.total = candidates.ranges().bytes();
  }

  /**
   * Asks the source what there is to look at by what it tracks: what changed, or what it holds for
   * a full pass. Empty where all of it is.
   */
  static Optional<Candidates> tracked(BlockDevice source, DiskPass pass, DigestVolume.Beat beat)
      throws IOException {
    Optional<Context> by =
        switch (pass.kind()) {
          case DELTA -> Optional.of(Context.CHANGED).filter(c -> !pass.mayDifferAnywhere());
          case TALLY -> Optional.of(Context.CHANGED).filter(source::knows);
          case FULL -> Optional.of(Context.ALLOCATION).filter(source::knows);
          case COMPARE -> Optional.empty();
        };
    if (by.isEmpty()) {
      return Optional.empty();
    }
    Candidates found = new Candidates(source.size());
    for (long at = 0; at < source.size(); at += SWEEP) {
      for (Extent e : source.status(by.get(), at, Math.min(SWEEP, source.size() - at))) {
        if (e.set()) {
          found.add(e.offset(), e.offset() + e.length());
        }
      }
      beat.beat();
    }
    return Optional.of(found);
  }

  /** The next chunk to work on; none when all are given out. Chunks are given out in order. */
  synchronized Optional<Chunk> take() throws IOException {
    while (left == null) {
      if (inWindow.hasNext()) {
        left = inWindow.next();
      } else if (!nextWindow()) {
        givenOut = size;
        return Optional.empty();
      }
    }
    // No chunk is partly data, or zeroes would be read with it.
    boolean zero = !allocated.touches(left.start(), left.start() + 1);
    long alike = (zero ? allocated.next(left.start()) : allocated.endOf(left.start())).orElse(size);
    long end = Math.min(left.end(), left.start() + PassEngine.CHUNK);
    Range range = new Range(left.start(), Math.min(end, alike));
    left = range.end() < left.end() ? new Range(range.end(), left.end()) : null;
    givenOut = range.end();
    inHand.add(range.start());
    return Optional.of(new Chunk(range, zero, !replica.touches(range.start(), range.end())));
  }

  /** Goes on to the next window with candidates; none is left when it gives false. */
  private boolean nextWindow() throws IOException {
    OptionalLong next = candidates.ranges().next(windowEnd);
    if (next.isEmpty()) {
      return false;
    }
    long start = next.getAsLong() / WINDOW * WINDOW;
    windowEnd = Math.min(size, start + WINDOW);
    givenOut = next.getAsLong();
    allocated =
        extents(source, Context.ALLOCATION, start, windowEnd).aligned(BlockDigest.BLOCK, windowEnd);
    Ranges planned = candidates.ranges().within(start, windowEnd);
    Ranges exact = candidates.exact() ? planned : exact(start, planned);
    total -= planned.bytes() - exact.bytes();
    boolean known = pass.kind() == PassKind.TALLY || digestKnown(start, windowEnd);
    replica =
        known
            ? Ranges.of(start, windowEnd)
            : extents(target.get(0), Context.ALLOCATION, start, windowEnd);
    if (allocated.isEmpty()
        && (known
            ? digests.isZero(start, windowEnd)
            : replica.isEmpty() && digests.isBlank(start, windowEnd))) {
      // Zeroes on both sides, and noted so.
      done += exact.bytes();
    } else {
      inWindow = (known ? withoutZeroes(exact, start) : exact).list().iterator();
    }
    return true;
  }

  /** Leaves out the spans of a window that are zeroes on both sides, and noted so. */
  private Ranges withoutZeroes(Ranges exact, long start) throws IOException {
    Ranges left = new Ranges();
    for (long at = start; at < windowEnd; at += DigestVolume.SPAN) {
      long end = Math.min(windowEnd, at + DigestVolume.SPAN);
      Ranges part = exact.within(at, end);
      if (!part.isEmpty() && !allocated.touches(at, end) && digests.isZero(at, end)) {
        done += part.bytes();
      } else {
        left.addAll(part);
      }
    }
    return left;
  }

  /** Candidates of a window whose ranges were joined with others. */
  private Ranges exact(long start, Ranges planned) throws IOException {
    Candidates exact = new Candidates(size);
    if (pass.kind() == PassKind.FULL) {
      exact.addAll(allocated);
    } else {
      exact.addAll(extents(source, Context.CHANGED, start, windowEnd));
      exact.addAll(pass.mayDiffer().within(start, windowEnd));
      if (digests.size() > 0) {
        exact.add(Math.max(start, digests.size()), windowEnd);
      }
    }
    return exact.exact() ? exact.ranges() : planned;
  }

  /** Where a bit is set in a range; all of it where the device can't tell. */
  static Ranges extents(BlockDevice device, Context context, long start, long end)
      throws IOException {
    if (!device.knows(context)) {
      return Ranges.of(start, end);
    }
    Ranges ranges = new Ranges();
    for (Extent e : device.status(context, start, end - start)) {
      if (e.set()) {
        ranges.add(e.offset(), e.offset() + e.length());
      }
    }
    return ranges;
  }

  DiskPass pass() {
    return pass;
  }

  /** Everything that may be written: no more than a bounded number of ranges. */
  Ranges candidates() {
    return candidates.ranges();
  }

  DigestVolume digests() {
    return digests;
  }

  /** Whether the digests of these blocks are of what the replica holds. */
  boolean digestKnown(long start, long end) {
    return !pass.mayDifferAnywhere() && !pass.mayDiffer().touches(start, end);
  }

  synchronized void looked(long bytes) {
    done += bytes;
  }

  synchronized void wasRead(long bytes) {
    read += bytes;
  }

  synchronized void shipped(long start, long end, boolean zero) {
    differed.add(start, end);
    if (zero) {
      zeroed += end - start;
    } else {
      sent += end - start;
    }
  }

  /** A chunk was worked on to its end; one that failed is never finished. */
  synchronized PassProgress finished(Chunk chunk) {
    inHand.remove(chunk.range().start());
    return progress();
  }

  /** Offset below which every chunk is finished, though not yet flushed. */
  synchronized long finishedBelow() {
    return inHand.isEmpty() ? givenOut : inHand.first();
  }

  /** Everything below is on stable storage. */
  synchronized PassProgress flushed(long below) {
    watermark = Math.max(watermark, below);
    return progress();
  }

  synchronized PassProgress progress() {
    return new PassProgress(total, done, read, sent, zeroed, watermark);
  }

  synchronized Ranges differed() {
    return differed.ranges();
  }
}
