package bargelane.service.run;

/**
 * One durable step. The action is idempotent: it may be called again after it did its work but
 * before that was recorded. It throws {@code SiteException} or {@code RunFailure} when it can't.
 *
 * @param untilDone whether the run goes no further before it worked: whatever it fails with, it is
 *     tried again, with growing pauses, and people are told
 */
public record Step(String name, String title, Action action, boolean untilDone) {

  /** A step whose failure ends the run, or in a back-out is left for later. */
  public Step(String name, String title, Action action) {
    this(name, title, action, false);
  }

  /** A step that must work before anything else is done. */
  public static Step untilDone(String name, String title, Action action) {
    return new Step(name, title, action, true);
  }

  /** A step's work. */
  @FunctionalInterface
  public interface Action {
    Outcome run(Work work);
  }
}
