package bargelane.e2e;

import bargelane.standins.guest.Ring.Entry;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/** What the records on a disk tell about loss. */
public final class Rings {

  private Rings() {}

  /** Numbers that are missing between the oldest and the newest record. */
  public static long missing(List<Entry> ring) {
    return ring.isEmpty()
        ? 0
        : ring.get(ring.size() - 1).sequence() - ring.get(0).sequence() + 1 - ring.size();
  }

  /** The newest record that was written at a site, up to an instant. */
  public static Optional<Entry> newest(List<Entry> ring, String origin, Instant until) {
    return ring.stream()
        .filter(e -> e.origin().equals(origin) && !e.at().isAfter(until))
        .reduce((a, b) -> b);
  }

  /** The longest time between two records that follow each other at one site. */
  public static Duration longestGap(List<Entry> ring, String origin) {
    Duration longest = Duration.ZERO;
    Entry before = null;
    for (Entry e : ring) {
      if (before != null
          && before.origin().equals(origin)
          && e.origin().equals(origin)
          && e.sequence() == before.sequence() + 1) {
        Duration gap = Duration.between(before.at(), e.at());
        longest = gap.compareTo(longest) > 0 ? gap : longest;
      }
      before = e;
    }
    return longest;
  }
}
