package bargelane.core.point;

import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.function.Function;

/** Which recovery points may go. */
public final class Retention {

  private Retention() {}

  /**
   * All but the {@code keep} newest, oldest first.
   *
   * @param number what tells the order in which they were recorded
   */
  public static <P, T extends Comparable<T>> List<P> surplus(
      Collection<P> points, Function<P, T> number, int keep) {
    List<P> newestFirst = points.stream().sorted(Comparator.comparing(number).reversed()).toList();
    return newestFirst.stream().skip(keep).sorted(Comparator.comparing(number)).toList();
  }
}
