package bargelane.core.assess;

import bargelane.core.usage.Load;
import bargelane.core.usage.LoadProfile.Stretch;

/**
 * How much of a load a size must carry, and how that came about.
 *
 * @param basis what it rests on; configured also where the observed basis had to fall back
 * @param measured the percentile, or what is configured
 * @param busiest the mean of the busiest hours on end; its mean 0 where it is not asked for
 * @param headroomPercent beyond the higher of the two
 * @param value what a size must carry
 * @param fellBack why it is configured on the observed basis; empty where it is not
 */
public record Demand(
    Load load,
    Basis basis,
    double measured,
    Stretch busiest,
    double headroomPercent,
    double value,
    String fellBack) {

  static Demand configured(Load load, double value, String fellBack) {
    return new Demand(
        load, Basis.CONFIGURED, value, new Stretch(java.time.Instant.EPOCH, 0), 0, value, fellBack);
  }
}
