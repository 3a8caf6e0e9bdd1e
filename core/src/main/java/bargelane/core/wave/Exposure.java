package bargelane.core.wave;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/**
 * The data that would be lost if the source died now: now minus the as-of of the newest complete
 * point.
 */
public record Exposure(Optional<Duration> age, Duration rpo) {

  /** Measured from the source's instant, never from when the pass ended. */
  public static Exposure at(Instant now, Optional<Instant> newestAsOf, Duration rpo) {
    return new Exposure(newestAsOf.map(asOf -> Duration.between(asOf, now)), rpo);
  }

  /** Whether the RPO is held now. */
  public boolean held() {
    return age.isPresent() && age.get().compareTo(rpo) <= 0;
  }
}
