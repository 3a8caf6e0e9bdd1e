package bargelane.service.run;

import java.time.Duration;
import java.util.function.Function;
import org.hibernate.Session;

/** What became of one attempt at a step. */
public sealed interface Outcome {

  /** After which time a step that waits looks again by itself. */
  Duration LOOK_AGAIN = Duration.ofSeconds(1);

  /** The step is done; the detail is for people. */
  record Done(String detail) implements Outcome {}

  /**
   * The step is done once this work is stored, in the one transaction that records its end and
   * begins the next step; it gives the detail for people. It may be called again if that
   * transaction fails.
   *
   * @param begun whether it begins something that the next step waits for: that step is then tried
   *     when the run is woken, or after a second, and not at once
   */
  record Commit(Function<Session, String> work, boolean begun) implements Outcome {}

  /**
   * The step waits for something that will wake the run; it looks again after {@code again} in any
   * case.
   */
  record Wait(String detail, Duration again) implements Outcome {}

  static Outcome done(String detail) {
    return new Done(detail);
  }

  static Outcome commit(Function<Session, String> work) {
    return new Commit(work, false);
  }

  /** As {@link #commit}, and the next step waits for what it begins. */
  static Outcome commitAndWait(Function<Session, String> work) {
    return new Commit(work, true);
  }

  static Outcome waitFor(String detail) {
    return new Wait(detail, LOOK_AGAIN);
  }
}
