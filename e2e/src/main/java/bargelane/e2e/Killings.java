package bargelane.e2e;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;
import java.util.Map;

/** When the service, or its database, is killed on a road. */
final class Killings {

  private Killings() {}

  /** Once in each move that the tour makes, each at another step. */
  static Journey.Killing inEachMove(Harness harness) {
    return new Journey.Killing(
        Map.of(
            "test", steps("start-1"),
            "cutover", steps("define"),
            "failback", steps("last", "clone"),
            "failover", steps("define"),
            "reconcile", steps("survey-back", "turn"),
            "settle", steps("remove")),
        () -> again(harness));
  }

  /** Once in a verb's run, at a step. */
  static Journey.Killing in(Harness harness, String verb, String step) {
    return new Journey.Killing(Map.of(verb, steps(step)), () -> again(harness));
  }

  /** The database instead of the service: once in a verb's run, at a step. */
  static Journey.Killing ofDatabase(Harness harness, String verb, String step) {
    return new Journey.Killing(
        Map.of(verb, steps(step)),
        () -> {
          try {
            harness.restartDatabase();
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        });
  }

  private static Deque<String> steps(String... names) {
    return new ArrayDeque<>(List.of(names));
  }

  /** Kills the service and starts it again. */
  static void again(Harness harness) {
    try {
      harness.kill("service");
      harness.service();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
