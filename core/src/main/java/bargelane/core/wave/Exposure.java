package bargelane.core.wave;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/**
 * The data that would be lost if the source died now: now minus the as-of of the newest complete
 * point.
 */
public record Exposure(Optional<Duration> age, Duration rpo) {

  /** What two clocks may differ by before an instant of one can't be measured by the other. */
  private static final Duration SKEW = Duration.ofSeconds(1);

  /**
   * Measured from the source's instant, never from when the pass ended. By a clock that has stepped
   * back behind that instant no age can be told.
   */
  public static Exposure at(Instant now, Optional<Instant> newestAsOf, Duration rpo) {
    return new Exposure(
        newestAsOf
            .filter(asOf -> !asOf.isAfter(now.plus(SKEW)))
            .map(asOf -> asOf.isAfter(now) ? Duration.ZERO : Duration.between(asOf, now)),
        rpo);
  }

  /** Whether the RPO is held now. */
  public boolean held() {
    return age.isPresent() && age.get().compareTo(rpo) <= 0;
  }
}
