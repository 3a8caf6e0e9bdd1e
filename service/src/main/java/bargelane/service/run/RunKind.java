package bargelane.service.run;

import java.time.Duration;
import java.util.List;
import java.util.Optional;

/**
 * A kind of run: its steps, and how it is backed out when one fails. Steps are the same each time
 * they are asked for.
 */
public interface RunKind {

  String name();

  List<Step> steps(Work work);

  /** Steps that leave things as they were; each is tried until it works or the patience ends. */
  default List<Step> backOut(Work work) {
    return List.of();
  }

  /** Why a run can't be stopped where it is now; none if it is backed out when it is. */
  default Optional<String> holdsOn(Work work) {
    return Optional.empty();
  }

  /** Whether it changes machines, so that only one such run may be open for each. */
  default boolean changesMachines() {
    return false;
  }

  /**
   * Whether a timetable begins such runs again and again: they are told as events of their own
   * kind's name and listed only where asked for, since they would drown the rest.
   */
  default boolean routine() {
    return false;
  }

  /**
   * Whether backing it out removes only what it made itself, under names that nothing else has: it
   * may be done even by an old record of it.
   */
  default boolean leavesNothingToOthers() {
    return false;
  }

  /** How long a failure that may pass is waited for, a step. */
  default Duration patience() {
    return Duration.ofSeconds(60);
  }
}
