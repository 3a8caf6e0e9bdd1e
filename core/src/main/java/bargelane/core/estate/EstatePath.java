package bargelane.core.estate;

import java.util.Comparator;
import java.util.List;

/**
 * Where a value of an estate stands: the kind of thing and its name, and what of it.
 *
 * @param steps at least three, such as {@code timetables}, {@code often}, {@code every}
 */
public record EstatePath(List<String> steps) implements Comparable<EstatePath> {

  private static final Comparator<EstatePath> ORDER =
      (a, b) -> {
        for (int i = 0; i < Math.min(a.steps.size(), b.steps.size()); i++) {
          int order = a.steps.get(i).compareTo(b.steps.get(i));
          if (order != 0) {
            return order;
          }
        }
        return Integer.compare(a.steps.size(), b.steps.size());
      };

  public EstatePath {
    steps = List.copyOf(steps);
  }

  public static EstatePath of(String... steps) {
    return new EstatePath(List.of(steps));
  }

  /** The kind of thing. */
  public String section() {
    return steps.get(0);
  }

  /** The kind of thing and its name. */
  public EstatePath thing() {
    return new EstatePath(steps.subList(0, 2));
  }

  /** What of the thing. */
  public List<String> field() {
    return steps.subList(2, steps.size());
  }

  @Override
  public int compareTo(EstatePath other) {
    return ORDER.compare(this, other);
  }

  /** For people, as {@code timetables/often/every}. */
  @Override
  public String toString() {
    return String.join("/", steps);
  }
}
