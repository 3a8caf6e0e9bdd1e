package bargelane.blocks.pass;

import bargelane.blocks.Ranges;
import bargelane.blocks.Ranges.Range;
import java.util.ArrayDeque;
import java.util.Optional;
import java.util.Queue;

/**
 * What was written and waits to be verified. Verified means on stable storage: a range has to be
 * flushed before it is held against its digests.
 */
final class Verification {

  private Ranges written = new Ranges();
  private final Queue<Range> flushed = new ArrayDeque<>();

  synchronized void written(Range range) {
    written.add(range.start(), range.end());
  }

  /** What was written up to now; a flush that begins now covers it. */
  synchronized Ranges beforeFlush() {
    Ranges all = written;
    written = new Ranges();
    return all;
  }

  synchronized void flushed(Ranges ranges) {
    for (Range r : ranges.list()) {
      for (long at = r.start(); at < r.end(); at += PassEngine.CHUNK) {
        flushed.add(new Range(at, Math.min(r.end(), at + PassEngine.CHUNK)));
      }
    }
  }

  /** The next range to verify, a chunk at most. */
  synchronized Optional<Range> take() {
    return Optional.ofNullable(flushed.poll());
  }

  synchronized int waiting() {
    return flushed.size();
  }
}
