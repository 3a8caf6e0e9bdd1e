package bargelane.core.lane;

import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Storage;
import bargelane.core.word.Worded;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Predicate;
import java.util.stream.Collectors;

/**
 * What could be joined of a lane that is joined to nothing yet, with the reasons: of networks by
 * the addresses that could be kept, ranges, names and room; of storages by media, the largest disk
 * and names. Nothing is joined by it.
 *
 * <p>Cost: each network of the source against each of the target, a look at each address a pair.
 */
public final class Suggestions {

  private Suggestions() {}

  /** What is joined. */
  public enum Kind implements Worded {
    NETWORK("network"),
    STORAGE("storage");

    private final String word;

    Kind(String word) {
      this.word = word;
    }

    @Override
    public String word() {
      return word;
    }
  }

  /**
   * A join that is suggested.
   *
   * @param from id at the source
   * @param to id at the target
   * @param clear whether all fits there and nothing else comes close to it; otherwise it is
   *     somebody's to choose
   * @param reasons what speaks for it, and what has to be known of it
   * @param others ids that are possible too, the better ones first
   */
  public record Suggestion(
      Kind kind,
      String from,
      String to,
      boolean clear,
      List<String> reasons,
      List<String> others) {}

  /**
   * What a storage of the source holds.
   *
   * @param largestBytes of one disk
   */
  public record Load(long disks, long largestBytes) {
    public static final Load NONE = new Load(0, 0);
  }

  /** Points of what speaks for a join. Addresses that can be kept outweigh any name. */
  private static final int ADDRESSES = 60;

  private static final int SAME_RANGE = 60;
  private static final int SAME_NAME = 30;
  private static final int SHARED_WORD = 15;
  private static final int SAME_MEDIA = 40;
  private static final int ONLY_ONE = 10;

  /** What comes so close to the best is as good. */
  private static final int CLOSE = 10;

  /** Words that names of networks have and that tell none from another. */
  private static final Set<String> IDLE_WORDS =
      Set.of("net", "network", "sub", "subnet", "lan", "vlan", "segment", "seg", "the");

  /**
   * What may be joined to.
   *
   * @param whole whether all fits there
   */
  private record Candidate(String id, int points, boolean whole, List<String> reasons) {}

  /**
   * Suggests a join for each network and storage of the source that is joined to nothing.
   *
   * @param addresses that machines have, by network of the source
   * @param taken addresses that are used, by network of the target
   * @param loads by storage of the source
   */
  public static List<Suggestion> of(
      LanePlan plan,
      Inventory source,
      Inventory target,
      Map<String, List<String>> addresses,
      Map<String, List<String>> taken,
      Map<String, Load> loads) {
    List<Suggestion> all = new ArrayList<>();
    List<Network> subnets = target.networks().stream().filter(n -> !n.isolated()).toList();
    for (Network n : source.networks()) {
      if (!plan.networks().containsKey(n.id()) && !n.isolated()) {
        List<String> own = addresses.getOrDefault(n.id(), List.of());
        List<Candidate> candidates =
            subnets.stream()
                .flatMap(t -> network(n, t, own, taken.getOrDefault(t.id(), List.of())).stream())
                .toList();
        best(Kind.NETWORK, n.id(), candidates).ifPresent(all::add);
      }
    }
    for (Storage s : source.storages()) {
      if (!plan.storages().containsKey(s.id())) {
        Load load = loads.getOrDefault(s.id(), Load.NONE);
        long holding = target.storages().stream().filter(t -> holds(t, load)).count();
        best(
                Kind.STORAGE,
                s.id(),
                target.storages().stream().map(t -> storage(s, t, load, holding)).toList())
            .ifPresent(all::add);
      }
    }
    return all;
  }

  private static Optional<Suggestion> best(Kind kind, String from, List<Candidate> candidates) {
    List<Candidate> order =
        candidates.stream()
            .filter(c -> c.points > 0)
            .sorted(
                Comparator.comparingInt((Candidate c) -> -c.points).thenComparing(Candidate::id))
            .toList();
    if (order.isEmpty()) {
      return Optional.empty();
    }
    Candidate first = order.get(0);
    boolean clear =
        first.whole && (order.size() == 1 || first.points - order.get(1).points > CLOSE);
    return Optional.of(
        new Suggestion(
            kind,
            from,
            first.id,
            clear,
            first.reasons,
            order.stream().skip(1).map(Candidate::id).toList()));
  }

  // ---- networks

  /** How well a subnet would do for a network; none if it has too little room. */
  private static Optional<Candidate> network(
      Network n, Network t, List<String> addresses, List<String> taken) {
    List<String> reasons = new ArrayList<>();
    int points = 0;
    Optional<Subnet> range = Subnet.of(t.cidr());
    long room = range.map(r -> r.room() - taken.size()).orElse(Long.MAX_VALUE);
    if (room < addresses.size()) {
      return Optional.empty();
    }
    List<String> known = addresses.stream().filter(Address::valid).toList();
    if (range.isPresent() && !known.isEmpty()) {
      long fit = known.stream().filter(range.get()::contains).count();
      points += Math.round(ADDRESSES * (float) fit / known.size());
      reasons.add(kept(fit, known.size(), range.get()));
    } else if (range.isPresent() && range.get().toString().equals(range(n))) {
      points += SAME_RANGE;
      reasons.add("both have the range " + range.get());
    }
    points += names(n.id(), n.name(), t.id(), t.name(), reasons);
    return Optional.of(new Candidate(t.id(), points, true, List.copyOf(reasons)));
  }

  private static String range(Network n) {
    return Subnet.of(n.cidr()).map(Subnet::toString).orElse("");
  }

  private static String kept(long fit, int all, Subnet range) {
    if (fit == all) {
      return all == 1
          ? "its one address fits into " + range + " and can be kept"
          : "all its " + all + " addresses fit into " + range + " and can be kept";
    }
    if (fit == 0 && all == 1) {
      return "its one address does not fit into " + range + ": its machine gets a new one";
    }
    if (fit == 0) {
      return "none of its "
          + all
          + " addresses"
          + " fits into "
          + range
          + ": its machines get new ones";
    }
    return fit + " of its " + all + " addresses fit into " + range + "; the others change";
  }

  /** Points for names, and why. */
  private static int names(
      String id, String name, String otherId, String otherName, List<String> reasons) {
    Set<String> words = words(name.isEmpty() ? id : name);
    Set<String> others = words(otherName.isEmpty() ? otherId : otherName);
    if (!words.isEmpty() && words.equals(others)) {
      reasons.add("both are called " + String.join(" ", words));
      return SAME_NAME;
    }
    words.retainAll(others);
    if (!words.isEmpty()) {
      reasons.add("both names have '" + words.iterator().next() + "'");
      return SHARED_WORD;
    }
    return 0;
  }

  private static Set<String> words(String name) {
    return Arrays.stream(name.toLowerCase(Locale.ROOT).split("[^\\p{L}\\p{N}]+"))
        .filter(w -> !w.isEmpty())
        .filter(Predicate.not(IDLE_WORDS::contains))
        .collect(Collectors.toCollection(TreeSet::new));
  }

  // ---- storages

  private static boolean holds(Storage t, Load load) {
    long most = t.limits().gib() << 30;
    return most == 0 || load.largestBytes <= most;
  }

  private static Candidate storage(Storage s, Storage t, Load load, long holding) {
    List<String> reasons = new ArrayList<>();
    int points = 0;
    boolean holds = holds(t, load);
    if (!s.media().isEmpty() && s.media().equals(t.media())) {
      points += SAME_MEDIA;
      reasons.add("both are of media " + s.media());
    }
    points += names(s.id(), s.name(), t.id(), t.name(), reasons);
    if (!holds) {
      reasons.add(
          "its largest disk has "
              + Sizes.text(load.largestBytes)
              + ", and a disk of this class "
              + Sizes.text(t.limits().gib() << 30)
              + " at most");
    } else if (holding == 1) {
      points += ONLY_ONE;
      reasons.add(
          load.disks == 0
              ? "it is the only class"
              : "it is the only class that holds its largest disk, "
                  + Sizes.text(load.largestBytes));
    }
    return new Candidate(t.id(), points, holds, List.copyOf(reasons));
  }
}
