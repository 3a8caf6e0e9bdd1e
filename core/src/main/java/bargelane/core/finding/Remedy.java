package bargelane.core.finding;

import java.util.List;
import java.util.Objects;
import java.util.Optional;

/**
 * What mends something: advice in words, something to do, or both. Whoever shows it words the
 * action in its own way, so no sentence of ours holds a command.
 *
 * @param advice a sentence's part in the imperative, such as {@code join it}; empty where the
 *     action says all
 * @param arguments of the action, in its order
 */
public record Remedy(String advice, Optional<Action> action, List<String> arguments) {

  /** Nothing is to be done. */
  public static final Remedy NONE = advice("");

  public Remedy {
    Objects.requireNonNull(advice);
    arguments = List.copyOf(arguments);
    if (action.isEmpty() && !arguments.isEmpty()) {
      throw new IllegalArgumentException("arguments of no action: " + arguments);
    }
  }

  public static Remedy advice(String advice) {
    return new Remedy(advice, Optional.empty(), List.of());
  }

  public static Remedy of(String advice, Action action, String... arguments) {
    return new Remedy(advice, Optional.of(action), List.of(arguments));
  }

  public boolean none() {
    return advice.isEmpty() && action.isEmpty();
  }

  /** For logs and for programs that show text alone: the advice, or else the action's words. */
  @Override
  public String toString() {
    return action
        .filter(a -> advice.isEmpty())
        .map(a -> (a.word().replace('-', ' ') + " " + String.join(" ", arguments)).strip())
        .orElse(advice);
  }
}
