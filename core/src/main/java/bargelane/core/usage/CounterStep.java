package bargelane.core.usage;

import bargelane.core.site.Inventory.Usage;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;

/**
 * What a machine used between two looks at its counters, as one sample.
 *
 * <p>A counter that went back was begun anew: nothing is known of that time. Neither is anything of
 * a stretch that is longer than {@link #LONGEST}, for its mean would hide what happened in it.
 */
public record CounterStep(Instant from, Instant to, float[] values) {

  public static final Duration LONGEST = Duration.ofMinutes(10);

  /** The step between two looks; none if it tells nothing. */
  public static Optional<CounterStep> between(Usage former, Usage now) {
    Duration time = Duration.between(former.at(), now.at());
    if (time.isNegative() || time.isZero() || time.compareTo(LONGEST) > 0) {
      return Optional.empty();
    }
    double seconds = time.toNanos() / 1e9;
    float[] v = new float[Metric.values().length];
    v[Metric.CPU.ordinal()] = rate(former.cpuSeconds(), now.cpuSeconds(), seconds);
    v[Metric.MEMORY.ordinal()] =
        now.memoryBytes().isPresent() ? now.memoryBytes().getAsLong() : Float.NaN;
    v[Metric.READ_BYTES.ordinal()] = rate(former.readBytes(), now.readBytes(), seconds);
    v[Metric.READS.ordinal()] = rate(former.reads(), now.reads(), seconds);
    v[Metric.WRITTEN_BYTES.ordinal()] = rate(former.writtenBytes(), now.writtenBytes(), seconds);
    v[Metric.WRITES.ordinal()] = rate(former.writes(), now.writes(), seconds);
    v[Metric.RECEIVED_BYTES.ordinal()] = rate(former.receivedBytes(), now.receivedBytes(), seconds);
    v[Metric.SENT_BYTES.ordinal()] = rate(former.sentBytes(), now.sentBytes(), seconds);
    for (float value : v) {
      if (value < 0) {
        return Optional.empty();
      }
    }
    return Optional.of(new CounterStep(former.at(), now.at(), v));
  }

  private static float rate(OptionalLong former, OptionalLong now, double seconds) {
    return former.isPresent() && now.isPresent()
        ? (float) ((now.getAsLong() - former.getAsLong()) / seconds)
        : Float.NaN;
  }

  private static float rate(OptionalDouble former, OptionalDouble now, double seconds) {
    return former.isPresent() && now.isPresent()
        ? (float) ((now.getAsDouble() - former.getAsDouble()) / seconds)
        : Float.NaN;
  }

  /** The slot of UTC in which most of the step lies, as its beginning. */
  public Instant slot() {
    long middle = from.plus(Duration.between(from, to).dividedBy(2)).getEpochSecond();
    return Instant.ofEpochSecond(
        Math.floorDiv(middle, UsageDay.SLOT_SECONDS) * (long) UsageDay.SLOT_SECONDS);
  }
}
