package bargelane.blocks.pass;

import bargelane.blocks.BlockDigest;
import bargelane.blocks.Ranges;

/**
 * A set of blocks of a disk that never holds more than {@value #MOST} ranges: where there would be
 * more, ranges that lie close are joined, and the set is then larger than what was added.
 */
final class Candidates {

  /** So much as a list of them is still a short text. */
  static final int MOST = 8192;

  private final long size;
  private Ranges ranges = new Ranges();
  private long unit = BlockDigest.BLOCK;

  Candidates(long size) {
    this.size = size;
  }

  /** Adds the blocks that {@code [start, end)} touches. */
  void add(long start, long end) {
    if (start < end) {
      ranges.add(start / unit * unit, Math.min(size, (end + unit - 1) / unit * unit));
    }
    while (ranges.count() > MOST) {
      unit *= 2;
      ranges = ranges.aligned(unit, size);
    }
  }

  void addAll(Ranges other) {
    other.list().forEach(r -> add(r.start(), r.end()));
  }

  Ranges ranges() {
    return ranges;
  }

  /** Whether the set is what was added, in whole blocks. */
  boolean exact() {
    return unit == BlockDigest.BLOCK;
  }
}
