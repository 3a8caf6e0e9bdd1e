package bargelane.sites;

import bargelane.core.usage.UsageSeries;
import java.time.Duration;
import java.time.Instant;
import java.util.function.Consumer;

/** Samples of use that a platform keeps by itself. */
public interface UsageHistory {

  /** How far back they go at most. */
  Duration kept();

  /**
   * Hands over the samples that lie wholly between two instants, one machine after the other. Only
   * one series is held in memory at a time; each lasts no longer than was asked for.
   */
  void read(Instant from, Instant to, Consumer<UsageSeries> each);
}
