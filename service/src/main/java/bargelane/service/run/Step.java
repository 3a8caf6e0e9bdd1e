package bargelane.service.run;

/**
 * One durable step. The action is idempotent: it may be called again after it did its work but
 * before that was recorded. It throws {@code SiteException} or {@code RunFailure} when it can't.
 */
public record Step(String name, String title, Action action) {

  /** A step's work. */
  @FunctionalInterface
  public interface Action {
    Outcome run(Work work);
  }
}
