package bargelane.core.run;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;

/**
 * The steps that a run has, when the program that drives it may be newer than the one that began
 * it. A step is known by its name and never by its place, so that one that an upgrade adds, takes
 * away or moves can't make a run go on with another's work.
 */
public final class StepOrder {

  /** A step that is recorded. */
  public record Recorded(String name, boolean done) {}

  private StepOrder() {}

  /**
   * The names of a run's steps: those that are done, in the order in which they were recorded; then
   * those that are left, in the kind's order. Left is what was recorded and is not done, and what
   * the kind has after the last of its steps that is done. A step that an upgrade added before that
   * place is not made up for, since the steps after it went without it; one that the kind no longer
   * has is left out.
   *
   * @param recorded the run's steps in their order
   * @param kind the names of the kind's steps now, in their order
   */
  public static List<String> of(List<Recorded> recorded, List<String> kind) {
    List<String> order = new ArrayList<>();
    Set<String> waiting = new HashSet<>();
    int passed = -1;
    for (Recorded step : recorded) {
      if (step.done()) {
        order.add(step.name());
        passed = Math.max(passed, kind.indexOf(step.name()));
      } else {
        waiting.add(step.name());
      }
    }
    for (int i = 0; i < kind.size(); i++) {
      String name = kind.get(i);
      if (!order.contains(name) && (i > passed || waiting.contains(name))) {
        order.add(name);
      }
    }
    return order;
  }
}
