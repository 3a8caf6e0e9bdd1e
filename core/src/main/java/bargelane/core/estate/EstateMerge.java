package bargelane.core.estate;

import bargelane.core.word.Worded;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.NavigableMap;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.TreeSet;

/**
 * An estate as a file has it, as it stands, and as it was when the file and what stands were last
 * the same: what the file changes, and what somebody else has changed since. A value counts as
 * changed where it is not what it was; a thing that one side has removed is taken as a whole.
 *
 * @param changes what is to become of what stands, in the order of their paths
 * @param kept what was changed since elsewhere and the file leaves as it was
 * @param conflicts what both have changed, each in its own way
 */
public record EstateMerge(List<Change> changes, List<Change> kept, List<Conflict> conflicts) {

  /** What becomes of a value that both sides have changed. */
  public enum Take implements Worded {
    /** Nothing: it is told. */
    NEITHER("neither"),
    FILE("file"),
    SERVICE("service");

    private final String word;

    Take(String word) {
      this.word = word;
    }

    @Override
    public String word() {
      return word;
    }
  }

  /**
   * A value that changes.
   *
   * @param before none where it is added
   * @param after none where it is removed
   */
  public record Change(EstatePath path, Optional<String> before, Optional<String> after) {}

  /**
   * A value, or a thing, that both sides have changed.
   *
   * @param path of the value; of the thing where one side has removed it
   * @param base what it was; none for a thing, and where it was not there
   * @param service what it is now; none where it is not there any more
   * @param file what the file has; none where it has removed it
   */
  public record Conflict(
      EstatePath path, Optional<String> base, Optional<String> service, Optional<String> file) {}

  public EstateMerge {
    changes = List.copyOf(changes);
    kept = List.copyOf(kept);
    conflicts = List.copyOf(conflicts);
  }

  /**
   * Merges what a file has into what stands. Takes a time in proportion to the number of values.
   *
   * @param base empty where nothing is known of it: then the file only adds, and what it has
   *     otherwise than it stands is a conflict
   * @param take what becomes of conflicts
   */
  public static EstateMerge of(
      SortedMap<EstatePath, String> base,
      SortedMap<EstatePath, String> service,
      SortedMap<EstatePath, String> file,
      Take take) {
    Merging m = new Merging(take);
    Map<EstatePath, NavigableMap<EstatePath, String>> was = things(base);
    Map<EstatePath, NavigableMap<EstatePath, String>> is = things(service);
    Map<EstatePath, NavigableMap<EstatePath, String>> told = things(file);
    TreeSet<EstatePath> all = new TreeSet<>(is.keySet());
    all.addAll(told.keySet());
    NavigableMap<EstatePath, String> none = new TreeMap<>();
    for (EstatePath thing : all) {
      m.thing(
          thing,
          was.getOrDefault(thing, none),
          is.getOrDefault(thing, none),
          told.getOrDefault(thing, none));
    }
    return new EstateMerge(m.changes, m.kept, m.conflicts);
  }

  /** The values of each thing. */
  private static Map<EstatePath, NavigableMap<EstatePath, String>> things(
      SortedMap<EstatePath, String> estate) {
    Map<EstatePath, NavigableMap<EstatePath, String>> things = new TreeMap<>();
    estate.forEach(
        (path, value) ->
            things.computeIfAbsent(path.thing(), t -> new TreeMap<>()).put(path, value));
    return things;
  }

  /** What stands, with the changes made. */
  public SortedMap<EstatePath, String> into(SortedMap<EstatePath, String> service) {
    SortedMap<EstatePath, String> made = new TreeMap<>(service);
    for (Change c : changes) {
      if (c.after.isPresent()) {
        made.put(c.path, c.after.get());
      } else {
        made.remove(c.path);
      }
    }
    return made;
  }

  private static final class Merging {

    private final Take take;
    private final List<Change> changes = new ArrayList<>();
    private final List<Change> kept = new ArrayList<>();
    private final List<Conflict> conflicts = new ArrayList<>();

    Merging(Take take) {
      this.take = take;
    }

    void thing(
        EstatePath thing,
        NavigableMap<EstatePath, String> was,
        NavigableMap<EstatePath, String> is,
        NavigableMap<EstatePath, String> told) {
      if (!is.isEmpty() && !told.isEmpty()) {
        TreeSet<EstatePath> all = new TreeSet<>(is.keySet());
        all.addAll(told.keySet());
        all.forEach(p -> value(p, at(was, p), at(is, p), at(told, p)));
      } else if (told.isEmpty()) {
        gone(thing, was, is, told, Take.FILE);
      } else {
        gone(thing, was, told, is, Take.SERVICE);
      }
    }

    /**
     * One side has no such thing.
     *
     * @param there what the other side has
     * @param by the side that has none
     */
    private void gone(
        EstatePath thing,
        NavigableMap<EstatePath, String> was,
        NavigableMap<EstatePath, String> there,
        NavigableMap<EstatePath, String> none,
        Take by) {
      boolean file = by == Take.FILE;
      if (was.isEmpty()) {
        // It is new on the other side.
        if (!file) {
          there.forEach((p, v) -> changes.add(new Change(p, Optional.empty(), Optional.of(v))));
        }
        return;
      }
      boolean same = was.equals(there);
      if (!same && take == Take.NEITHER) {
        Optional<String> some = Optional.of("");
        conflicts.add(
            new Conflict(
                thing,
                Optional.empty(),
                file ? some : Optional.empty(),
                file ? Optional.empty() : some));
        return;
      }
      // Whoever removed what nobody else has changed is followed; otherwise whoever is to count.
      Take follow = same ? by : take;
      if (file && follow == Take.FILE) {
        there.forEach((p, v) -> changes.add(new Change(p, Optional.of(v), Optional.empty())));
      } else if (!file && follow == Take.FILE) {
        there.forEach((p, v) -> changes.add(new Change(p, Optional.empty(), Optional.of(v))));
      } else {
        NavigableMap<EstatePath, String> now = file ? there : none;
        TreeSet<EstatePath> all = new TreeSet<>(was.keySet());
        all.addAll(now.keySet());
        all.forEach(p -> keep(p, at(was, p), at(now, p)));
      }
    }

    private void value(
        EstatePath path, Optional<String> was, Optional<String> is, Optional<String> told) {
      if (is.equals(told)) {
        return;
      }
      if (told.equals(was)) {
        keep(path, was, is);
      } else if (is.equals(was) || take == Take.FILE) {
        changes.add(new Change(path, is, told));
      } else if (take == Take.SERVICE) {
        keep(path, was, is);
      } else {
        conflicts.add(new Conflict(path, was, is, told));
      }
    }

    private void keep(EstatePath path, Optional<String> was, Optional<String> is) {
      if (!was.equals(is)) {
        kept.add(new Change(path, was, is));
      }
    }

    private static Optional<String> at(Map<EstatePath, String> values, EstatePath path) {
      return Optional.ofNullable(values.get(path));
    }
  }
}
