package bargelane.core.replication;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/** When a leg's next pass begins by its timetable. */
public final class PassDue {

  private PassDue() {}

  /**
   * The instant from which the next pass may begin: one period after the last one began, at once if
   * there was none. A clock that stepped back does not put it off by more than one period.
   *
   * @param lastBegan when the newest pass of the leg began
   */
  public static Instant next(Optional<Instant> lastBegan, Duration every, Instant now) {
    Instant due = lastBegan.map(began -> began.plus(every)).orElse(now);
    Instant latest = now.plus(every);
    return due.isAfter(latest) ? latest : due;
  }
}
