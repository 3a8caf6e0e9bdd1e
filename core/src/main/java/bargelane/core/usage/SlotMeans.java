package bargelane.core.usage;

import bargelane.core.site.Inventory.Usage;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.function.Consumer;

/**
 * Makes means of five minutes of counters that are looked at more often: each step between two
 * looks counts in the slot in which most of it lies, by how long it is. A slot is told once it is
 * over, that is when a step of a later one comes.
 *
 * @param last the newest look; none before the first
 * @param slot the beginning of the slot that is being filled; none before the first step
 * @param seconds how long each metric was measured in it, in the order of {@link Metric}
 * @param sums each metric's values, times their seconds
 */
public record SlotMeans(
    Optional<Usage> last, Optional<Instant> slot, double[] seconds, double[] sums) {

  private static final int METRICS = Metric.values().length;

  /** Less than this of a slot is too little to stand for its five minutes. */
  private static final double LEAST_SECONDS = UsageDay.SLOT_SECONDS * 0.4;

  /** Nothing looked at yet. */
  public static final SlotMeans NONE =
      new SlotMeans(Optional.empty(), Optional.empty(), new double[METRICS], new double[METRICS]);

  /** A slot that is over, and its means; NaN where too little of it was measured. */
  public record Slot(Instant from, float[] means) {}

  /**
   * Takes another look into account; one that is not later than the newest tells nothing new.
   *
   * @param over gets a slot that this look ends
   */
  public SlotMeans with(Usage look, Consumer<Slot> over) {
    if (last.isPresent() && !look.at().isAfter(last.get().at())) {
      return this;
    }
    Optional<CounterStep> step = last.flatMap(former -> CounterStep.between(former, look));
    if (step.isEmpty()) {
      return new SlotMeans(Optional.of(look), slot, seconds, sums);
    }
    Instant of = step.get().slot();
    double[] newSeconds = seconds.clone();
    double[] newSums = sums.clone();
    if (slot.isPresent() && !slot.get().equals(of)) {
      over.accept(new Slot(slot.get(), means()));
      newSeconds = new double[METRICS];
      newSums = new double[METRICS];
    }
    double took = Duration.between(step.get().from(), step.get().to()).toNanos() / 1e9;
    for (int i = 0; i < METRICS; i++) {
      float value = step.get().values()[i];
      if (!Float.isNaN(value)) {
        newSeconds[i] += took;
        newSums[i] += took * value;
      }
    }
    return new SlotMeans(Optional.of(look), Optional.of(of), newSeconds, newSums);
  }

  private float[] means() {
    float[] means = new float[METRICS];
    for (int i = 0; i < METRICS; i++) {
      means[i] = seconds[i] < LEAST_SECONDS ? Float.NaN : (float) (sums[i] / seconds[i]);
    }
    return means;
  }
}
