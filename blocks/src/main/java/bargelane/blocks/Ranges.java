package bargelane.blocks;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.TreeMap;

/**
 * A set of byte offsets as disjoint, ascending, half-open ranges. Adjacent ranges are joined.
 * Adding costs O(log n) plus the ranges that are swallowed. Not safe for concurrent change.
 */
public final class Ranges {

  /** Bytes {@code [start, end)}. */
  public record Range(long start, long end) {
    public Range {
      if (start < 0 || end <= start) {
        throw new IllegalArgumentException("range [" + start + ", " + end + ")");
      }
    }

    public long length() {
      return end - start;
    }
  }

  private final TreeMap<Long, Long> ends = new TreeMap<>();

  /** A set with the single range {@code [start, end)}, or an empty one if they are equal. */
  public static Ranges of(long start, long end) {
    Ranges ranges = new Ranges();
    ranges.add(start, end);
    return ranges;
  }

  /** Adds {@code [start, end)}; nothing if empty. */
  public void add(long start, long end) {
    if (start >= end) {
      return;
    }
    Map.Entry<Long, Long> before = ends.floorEntry(start);
    if (before != null && before.getValue() >= start) {
      start = before.getKey();
      end = Math.max(end, before.getValue());
    }
    Map.Entry<Long, Long> next = ends.ceilingEntry(start);
    while (next != null && next.getKey() <= end) {
      end = Math.max(end, next.getValue());
      ends.remove(next.getKey());
      next = ends.ceilingEntry(start);
    }
    ends.put(start, end);
  }

  /** Adds every range of {@code other}. */
  public void addAll(Ranges other) {
    other.ends.forEach(this::add);
  }

  /** Whether any byte of {@code [start, end)} is in the set. */
  public boolean touches(long start, long end) {
    Map.Entry<Long, Long> before = ends.lowerEntry(end);
    return before != null && before.getValue() > start;
  }

  /** Whether every byte of {@code [start, end)} is in the set. */
  public boolean covers(long start, long end) {
    Map.Entry<Long, Long> before = ends.floorEntry(start);
    return before != null && before.getValue() >= end;
  }

  /** The first offset from {@code from} on that is in the set; none if there is none. */
  public OptionalLong next(long from) {
    Map.Entry<Long, Long> before = ends.floorEntry(from);
    if (before != null && before.getValue() > from) {
      return OptionalLong.of(from);
    }
    Long after = ends.higherKey(from);
    return after == null ? OptionalLong.empty() : OptionalLong.of(after);
  }

  /** Where the range ends that {@code at} lies in; none if it lies in none. */
  public OptionalLong endOf(long at) {
    Map.Entry<Long, Long> before = ends.floorEntry(at);
    return before != null && before.getValue() > at
        ? OptionalLong.of(before.getValue())
        : OptionalLong.empty();
  }

  /** What of the set lies in {@code [start, end)}. */
  public Ranges within(long start, long end) {
    Ranges part = new Ranges();
    Map.Entry<Long, Long> before = ends.lowerEntry(start);
    if (before != null) {
      part.add(start, Math.min(end, before.getValue()));
    }
    ends.subMap(start, end).forEach((from, to) -> part.add(from, Math.min(end, to)));
    return part;
  }

  /** Number of ranges. */
  public int count() {
    return ends.size();
  }

  /** The ranges, ascending. */
  public List<Range> list() {
    List<Range> list = new ArrayList<>(ends.size());
    ends.forEach((start, end) -> list.add(new Range(start, end)));
    return list;
  }

  /**
   * A new set whose ranges are grown outwards to multiples of {@code unit} and clipped to {@code
   * size}.
   */
  public Ranges aligned(long unit, long size) {
    Ranges grown = new Ranges();
    ends.forEach(
        (start, end) ->
            grown.add(start / unit * unit, Math.min(size, (end + unit - 1) / unit * unit)));
    return grown;
  }

  /** Number of bytes in the set. */
  public long bytes() {
    long bytes = 0;
    for (Map.Entry<Long, Long> e : ends.entrySet()) {
      bytes += e.getValue() - e.getKey();
    }
    return bytes;
  }

  public boolean isEmpty() {
    return ends.isEmpty();
  }

  /** Text form: {@code start+length} joined by commas; empty for the empty set. */
  public String text() {
    StringBuilder text = new StringBuilder();
    ends.forEach(
        (start, end) -> {
          if (text.length() > 0) {
            text.append(',');
          }
          text.append(start).append('+').append(end - start);
        });
    return text.toString();
  }

  /**
   * Reads {@link #text}.
   *
   * @throws IllegalArgumentException naming the bad part
   */
  public static Ranges parse(String text) {
    Ranges ranges = new Ranges();
    if (text.isEmpty()) {
      return ranges;
    }
    for (String part : text.split(",", -1)) {
      int plus = part.indexOf('+');
      try {
        long start = Long.parseLong(part.substring(0, Math.max(plus, 0)));
        long length = Long.parseLong(part.substring(plus + 1));
        if (start < 0 || length <= 0 || start > Long.MAX_VALUE - length) {
          throw new NumberFormatException();
        }
        ranges.add(start, start + length);
      } catch (NumberFormatException e) {
        throw new IllegalArgumentException(
            "'" + part + "' is not a range of the form start+length", e);
      }
    }
    return ranges;
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Ranges r && r.ends.equals(ends);
  }

  @Override
  public int hashCode() {
    return ends.hashCode();
  }

  @Override
  public String toString() {
    return "[" + text() + "]";
  }
}
