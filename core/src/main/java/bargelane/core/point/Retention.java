package bargelane.core.point;

import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.function.Function;

/** Which recovery points may go. */
public final class Retention {

  private Retention() {}

  /** All but the {@code keep} newest, oldest first. */
  public static <P, T extends Comparable<T>> List<P> surplus(
      Collection<P> points, Function<P, T> asOf, int keep) {
    List<P> newestFirst = points.stream().sorted(Comparator.comparing(asOf).reversed()).toList();
    return newestFirst.stream().skip(keep).sorted(Comparator.comparing(asOf)).toList();
  }
}
