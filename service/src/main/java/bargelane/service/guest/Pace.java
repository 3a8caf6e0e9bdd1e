package bargelane.service.guest;

import bargelane.service.platform.ProblemException;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.LongSupplier;

/**
 * How often one agent may report: {@value #BURST} times at once, which it needs for what it kept
 * while we were away, and {@value #A_SECOND} times a second in the long run. Each node counts by
 * itself.
 */
final class Pace {

  static final int BURST = 200;
  static final int A_SECOND = 2;
  private static final int MOST_AGENTS = 20_000;
  private static final long NANOS = 1_000_000_000L;

  /** What an agent has left, in billionths of a report, and as of when. */
  private record Left(long billionths, long at) {}

  private final LongSupplier nanos;
  private final Map<String, Left> agents =
      new LinkedHashMap<>(16, 0.75f, true) {
        private static final long serialVersionUID = 1;

        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Left> eldest) {
          return size() > MOST_AGENTS;
        }
      };

  Pace() {
    this(System::nanoTime);
  }

  Pace(LongSupplier nanos) {
    this.nanos = nanos;
  }

  /**
   * An agent reports.
   *
   * @throws ProblemException 429 if it does so too often
   */
  synchronized void comes(String agent) {
    long now = nanos.getAsLong();
    Left before = agents.getOrDefault(agent, new Left(BURST * NANOS, now));
    long passed = Math.min(now - before.at, BURST * NANOS / A_SECOND);
    long left = Math.min(BURST * NANOS, before.billionths + passed * A_SECOND);
    if (left < NANOS) {
      agents.put(agent, new Left(left, now));
      throw new ProblemException(
              429,
              "reports-too-many",
              "the agent reports more than " + A_SECOND + " times a second",
              "let it report less often")
          .after(1);
    }
    agents.put(agent, new Left(left - NANOS, now));
  }
}
