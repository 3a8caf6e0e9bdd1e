package bargelane.e2e;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * Stock guests that hold every two of their properties together at least once. Each is named by its
 * properties, as {@code scripts/stock-guest} takes them.
 */
final class GuestMatrix {

  static final List<List<String>> PROPERTIES =
      List.of(
          List.of("bookworm", "trixie", "bullseye"),
          List.of("most", "dep", "list", "dracut", "hostonly"),
          List.of("mbr", "gpt", "uefi"),
          List.of("ext4", "xfs", "btrfs"),
          List.of("ifupdown", "networkd", "manager", "netplan"));

  /** Networks of several layers, which a guest has besides; each is taken once. */
  static final List<String> LAYERED =
      List.of("bookworm-most-mbr-ext4-bridge", "trixie-dep-gpt-ext4-bond");

  private GuestMatrix() {}

  /**
   * The names: of all that are possible the one that holds most pairs that none before it holds,
   * and of several such the first, until none is left; and those with layered networks.
   */
  static List<String> names() {
    List<List<String>> all = new ArrayList<>();
    all.add(List.of());
    for (List<String> values : PROPERTIES) {
      List<List<String>> longer = new ArrayList<>();
      for (List<String> begun : all) {
        for (String value : values) {
          List<String> next = new ArrayList<>(begun);
          next.add(value);
          longer.add(next);
        }
      }
      all = longer;
    }
    Set<String> held = new HashSet<>();
    List<String> names = new ArrayList<>();
    while (true) {
      List<String> best = List.of();
      long most = 0;
      for (List<String> one : all) {
        long fresh = pairs(one).stream().filter(p -> !held.contains(p)).count();
        if (fresh > most) {
          most = fresh;
          best = one;
        }
      }
      if (most == 0) {
        names.addAll(LAYERED);
        return names;
      }
      held.addAll(pairs(best));
      names.add(String.join("-", best));
    }
  }

  /** What is wrong with a guest's name; empty if nothing is. */
  static Optional<String> wrong(String name) {
    String[] values = name.split("-", -1);
    boolean fits = values.length == PROPERTIES.size();
    for (int i = 0; fits && i < values.length; i++) {
      fits = PROPERTIES.get(i).contains(values[i]);
    }
    return fits || LAYERED.contains(name)
        ? Optional.empty()
        : Optional.of(
            "'"
                + name
                + "' is not a guest: give one of each of "
                + String.join(", ", PROPERTIES.stream().map(p -> String.join("|", p)).toList())
                + " with dashes between, as "
                + names().get(0));
  }

  /** Every two properties of a guest. */
  static List<String> pairs(List<String> values) {
    List<String> pairs = new ArrayList<>();
    for (int i = 0; i < values.size(); i++) {
      for (int j = i + 1; j < values.size(); j++) {
        pairs.add(values.get(i) + " " + values.get(j));
      }
    }
    return pairs;
  }
}
