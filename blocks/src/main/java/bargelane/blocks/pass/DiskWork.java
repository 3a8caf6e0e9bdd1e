package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.DigestMap;
import bargelane.blocks.Ranges;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.util.Iterator;
import java.util.Optional;
import java.util.TreeSet;

/**
 * The candidates of one disk, given out chunk by chunk, and the tally of what was done with them.
 * What it holds grows with the number of ranges, not with the size of the disk.
 */
final class DiskWork {

  private final DiskPass pass;
  private final long size;
  private final Ranges candidates;
  private final Ranges allocated;
  private final Iterator<Range> ranges;

  /** Where the chunks that workers have in hand begin. */
  private final TreeSet<Long> inHand = new TreeSet<>();

  /** What is left of the range that chunks are cut from; null when none is left. */
  private Range left;

  private final DigestMap digests;
  private final boolean digestsKnown;
  private final Ranges differed = new Ranges();
  private long watermark;
  private final long total;
  private long done;
  private long read;
  private long sent;
  private long zeroed;

  private DiskWork(DiskPass pass, long size, Ranges candidates, Ranges allocated) {
    this.pass = pass;
    this.size = size;
    this.candidates = candidates;
    this.allocated = allocated;
    this.ranges = candidates.list().iterator();
    this.left = ranges.hasNext() ? ranges.next() : null;
    this.digestsKnown = pass.digests().isPresent() && !pass.mayDifferAnywhere();
    this.digests =
        pass.digests()
            .map(d -> d.size() < size ? d.grown(size) : d.copy())
            .orElseGet(() -> new DigestMap(size));
    this.total = candidates.bytes();
    this.watermark = pass.resumeFrom();
  }

  /** Asks the source what there is to look at. */
  static DiskWork plan(BlockDevice source, DiskPass pass) throws IOException {
    long size = source.size();
    long known = pass.digests().map(DigestMap::size).orElse(size);
    if (known > size) {
      throw new IOException(
          "the source's disk has shrunk: the digest map is of "
              + known
              + " bytes, the source has "
              + size
              + " bytes");
    }
    Ranges allocated =
        source.knows(Context.ALLOCATION)
            ? PassEngine.extents(source, Context.ALLOCATION)
            : Ranges.of(0, size);
    Ranges candidates =
        switch (pass.kind()) {
          case FULL -> allocated.aligned(DigestMap.BLOCK, size);
          case DELTA -> {
            Ranges changed = PassEngine.extents(source, Context.CHANGED);
            changed.addAll(pass.mayDiffer());
            if (known < size) {
              changed.add(known, size);
            }
            // Without the map of the newest point a digest would be missing for the rest: hash it
            // as well.
            yield pass.mayDifferAnywhere() || pass.digests().isEmpty()
                ? Ranges.of(0, size)
                : changed.aligned(DigestMap.BLOCK, size);
          }
          case COMPARE -> Ranges.of(0, size);
          case TALLY ->
              source.knows(Context.CHANGED)
                  ? PassEngine.extents(source, Context.CHANGED).aligned(DigestMap.BLOCK, size)
                  : Ranges.of(0, size);
        };
    return new DiskWork(pass, size, candidates, allocated);
  }

  /** The next chunk to work on; none when all are given out. Chunks are given out in order. */
  synchronized Optional<Range> take() {
    if (left == null) {
      return Optional.empty();
    }
    Range chunk = new Range(left.start(), Math.min(left.end(), left.start() + PassEngine.CHUNK));
    if (chunk.end() < left.end()) {
      left = new Range(chunk.end(), left.end());
    } else {
      left = ranges.hasNext() ? ranges.next() : null;
    }
    inHand.add(chunk.start());
    return Optional.of(chunk);
  }

  DiskPass pass() {
    return pass;
  }

  Ranges candidates() {
    return candidates;
  }

  DigestMap digests() {
    return digests;
  }

  /** Whether the map's digest of this block is what the replica holds. */
  boolean digestKnown(long start, long end) {
    return digestsKnown && !pass.mayDiffer().touches(start, end);
  }

  boolean zeroAtSource(long start, long end) {
    return !allocated.touches(start, end);
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
  synchronized PassProgress finished(Range chunk) {
    inHand.remove(chunk.start());
    return progress();
  }

  /** Offset below which every chunk is finished, though not yet flushed. */
  synchronized long finishedBelow() {
    if (!inHand.isEmpty()) {
      return inHand.first();
    }
    return left == null ? size : left.start();
  }

  /** Everything below is on stable storage. */
  synchronized PassProgress flushed(long below) {
    watermark = Math.max(watermark, below);
    return progress();
  }

  private PassProgress progress() {
    return new PassProgress(total, done, read, sent, zeroed, watermark);
  }

  synchronized PassResult result() {
    return new PassResult(digests, differed, progress());
  }
}
