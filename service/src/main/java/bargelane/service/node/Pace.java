package bargelane.service.node;

import java.time.Duration;

/**
 * How fast a node's clocks go.
 *
 * @param lease how long a tug's lease lasts without a report
 * @param heartbeat how often a node shows that it lives; its work goes to another after four that
 *     are missed
 * @param shortestPeriod the least time between two passes that a timetable may ask for
 */
public record Pace(Duration lease, Duration heartbeat, Duration shortestPeriod) {

  public static final Pace USUAL =
      new Pace(Duration.ofSeconds(6), Duration.ofSeconds(2), Duration.ofSeconds(5));

  public Pace {
    for (Duration d : new Duration[] {lease, heartbeat, shortestPeriod}) {
      if (d.compareTo(Duration.ofMillis(200)) < 0 || d.compareTo(Duration.ofHours(1)) > 0) {
        throw new IllegalArgumentException(
            "a lease, a heartbeat and the shortest period are 200ms to 1h, not "
                + d.toMillis()
                + " ms");
      }
    }
  }
}
