package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.DigestMap;
import bargelane.blocks.Ranges;
import bargelane.blocks.Ranges.Range;
import java.io.IOException;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;

/** The candidates of one disk cut into chunks, and the tally of what was done with them. */
final class DiskWork {

  private final DiskPass pass;
  private final long size;
  private final Ranges candidates;
  private final Ranges allocated;
  private final List<Range> chunks;
  private final DigestMap digests;
  private final boolean digestsKnown;
  private final Ranges differed = new Ranges();
  private final BitSet finished = new BitSet();
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
    this.chunks = cut(candidates);
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

  private static List<Range> cut(Ranges candidates) {
    List<Range> chunks = new ArrayList<>();
    for (Range range : candidates.list()) {
      for (long at = range.start(); at < range.end(); at += PassEngine.CHUNK) {
        chunks.add(new Range(at, Math.min(range.end(), at + PassEngine.CHUNK)));
      }
    }
    return chunks;
  }

  DiskPass pass() {
    return pass;
  }

  Ranges candidates() {
    return candidates;
  }

  List<Range> chunks() {
    return chunks;
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

  synchronized PassProgress finished(int chunk) {
    finished.set(chunk);
    return progress();
  }

  /** Offset below which every chunk is finished, though not yet flushed. */
  synchronized long finishedBelow() {
    int open = finished.nextClearBit(0);
    return open >= chunks.size() ? size : chunks.get(open).start();
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
