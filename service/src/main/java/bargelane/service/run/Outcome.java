package bargelane.service.run;

import java.time.Duration;

/** What became of one attempt at a step. */
public sealed interface Outcome {

  /** The step is done; the detail is for people. */
  record Done(String detail) implements Outcome {}

  /**
   * The step waits for something that will wake the run; it looks again after {@code again} in any
   * case.
   */
  record Wait(String detail, Duration again) implements Outcome {}

  static Outcome done(String detail) {
    return new Done(detail);
  }

  static Outcome waitFor(String detail) {
    return new Wait(detail, Duration.ofSeconds(1));
  }
}
