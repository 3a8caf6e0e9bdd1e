package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What a machine used over a window of time, from five-minute samples.
 *
 * @param percentile at which {@link MetricView#percentile} was taken
 * @param expected five-minute samples that the window has room for
 * @param held those that there are
 * @param gaps stretches without samples
 * @param monthsTurn whether the night of a month's turn is held
 * @param quartersTurn whether one of a quarter's turn is
 * @param warnings what a reader of these figures must know
 * @param configured processors and bytes of memory that the machine has
 */
public record UsageView(
    String machine,
    Instant from,
    Instant to,
    double percentile,
    int expected,
    int held,
    List<GapView> gaps,
    boolean monthsTurn,
    boolean quartersTurn,
    List<String> warnings,
    ConfiguredView configured,
    List<MetricView> metrics) {

  /** A stretch without samples. */
  public record GapView(Instant from, Instant to) {}

  /** What the machine has. */
  public record ConfiguredView(int cpus, long memoryBytes) {}

  /**
   * One metric.
   *
   * @param percentile nearest rank
   * @param percentileBelow with {@code percentileAbove} where it truly lies; both are the
   *     percentile itself unless months of the window are folded
   * @param aboveSeconds how long samples were above the percentile
   * @param course mean and highest value of stretches of equal length; empty unless asked for
   */
  public record MetricView(
      String metric,
      String unit,
      int samples,
      double mean,
      double percentile,
      double percentileBelow,
      double percentileAbove,
      double maximum,
      Instant maximumAt,
      long aboveSeconds,
      List<PointView> course) {}

  /**
   * A stretch of the course; null where nothing was measured. Of folded months no mean is known.
   */
  public record PointView(Instant from, @Nullable Double mean, @Nullable Double maximum) {}
}
