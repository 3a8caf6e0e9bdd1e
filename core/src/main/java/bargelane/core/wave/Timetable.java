package bargelane.core.wave;

import bargelane.text.Durations;
import java.time.Duration;

/**
 * What a tow's replication must keep.
 *
 * @param every time from one pass's as-of to the next
 * @param rpo bound that the exposure is held under
 * @param keepPoints how many recovery points are kept
 * @param verify whether what is written is verified once it is flushed
 * @param quiesce whether guests that can are asked to hold still for the instant of a snapshot
 */
public record Timetable(
    Duration every, Duration rpo, int keepPoints, boolean verify, boolean quiesce) {
  public Timetable {
    if (every.compareTo(Duration.ofSeconds(1)) < 0) {
      throw new IllegalArgumentException(
          "passes can't be asked for more often than every second; asked for "
              + Durations.text(every));
    }
    if (rpo.compareTo(every) < 0) {
      throw new IllegalArgumentException(
          "an RPO of "
              + Durations.text(rpo)
              + " can't be held by a pass every "
              + Durations.text(every));
    }
    if (keepPoints < 1 || keepPoints > 1000) {
      throw new IllegalArgumentException(
          "between 1 and 1000 points can be kept; asked for " + keepPoints);
    }
  }
}
