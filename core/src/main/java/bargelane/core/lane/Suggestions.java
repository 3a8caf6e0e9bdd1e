package bargelane.core.lane;

import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Storage;
import bargelane.core.word.Worded;
import bargelane.text.Counts;
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
 * the addresses that could be kept, ranges, names, room and traffic; of storages by media, the
 * largest and the busiest disk, and names. Nothing is joined by it.
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
   * @param use what was measured of its disks
   */
  public record Load(long disks, long largestBytes, Use use) {
    public static final Load NONE = new Load(0, 0, Use.NONE);
  }

  /**
   * What an assessment has measured of the disks on a storage.
   *
   * @param operations a second, of the busiest disk
   * @param mib a second, of the busiest disk
   * @param classes how many of them it puts in each class of the target
   */
  public record Use(double operations, double mib, Map<String, Long> classes) {
    public static final Use NONE = new Use(0, 0, Map.of());

    public Use {
      classes = Map.copyOf(classes);
    }

    private long disks() {
      return classes.values().stream().mapToLong(n -> n).sum();
    }
  }

  /**
   * What a network of the source was seen to exchange with others.
   *
   * @param network id at the source
   * @param other id of the other network
   * @param there whether the other one is at the target, or else at the source
   * @param addresses of the other network that were seen
   */
  public record Traffic(String network, String other, boolean there, long addresses, long bytes) {}

  /** Points of what speaks for a join. Addresses that can be kept outweigh any name. */
  private static final int ADDRESSES = 60;

  private static final int SAME_RANGE = 60;
  private static final int SAME_NAME = 30;
  private static final int SHARED_WORD = 15;
  private static final int TALKS = 15;
  private static final int NEAR = 15;
  private static final int SAME_MEDIA = 40;
  private static final int ASSESSED = 25;
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
   * @param traffic of networks of the source
   */
  public static List<Suggestion> of(
      LanePlan plan,
      Inventory source,
      Inventory target,
      Map<String, List<String>> addresses,
      Map<String, List<String>> taken,
      Map<String, Load> loads,
      List<Traffic> traffic) {
    List<Suggestion> all = new ArrayList<>();
    List<Network> subnets = target.networks().stream().filter(n -> !n.isolated()).toList();
    Map<String, List<Traffic>> exchanged =
        traffic.stream().collect(Collectors.groupingBy(Traffic::network));
    for (Network n : source.networks()) {
      if (!plan.networks().containsKey(n.id()) && !n.isolated()) {
        List<String> own = addresses.getOrDefault(n.id(), List.of());
        List<Traffic> seen = exchanged.getOrDefault(n.id(), List.of());
        Optional<Near> near = near(plan, source, subnets, seen);
        List<Candidate> candidates =
            subnets.stream()
                .flatMap(
                    t ->
                        network(n, t, own, taken.getOrDefault(t.id(), List.of()), seen, near)
                            .stream())
                .toList();
        best(Kind.NETWORK, n.id(), candidates).ifPresent(all::add);
      }
    }
    for (Storage s : source.storages()) {
      if (!plan.storages().containsKey(s.id())) {
        Load load = loads.getOrDefault(s.id(), Load.NONE);
        long holding =
            target.storages().stream().filter(t -> holds(t, load) && carries(t, load)).count();
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
      Network n,
      Network t,
      List<String> addresses,
      List<String> taken,
      List<Traffic> seen,
      Optional<Near> near) {
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
    for (Traffic x : seen) {
      if (x.there && x.other.equals(t.id())) {
        points += TALKS;
        reasons.add(
            "its machines were seen to talk with "
                + Counts.of(x.addresses, "address", "addresses")
                + " of machines there, "
                + Sizes.text(x.bytes));
      }
    }
    if (near.isPresent() && near.get().zone.equals(t.zone())) {
      points += NEAR;
      reasons.add(near.get().reason);
    }
    return Optional.of(new Candidate(t.id(), points, true, List.copyOf(reasons)));
  }

  /** The zone that the network is joined to with which another one exchanges most. */
  private record Near(String zone, String reason) {}

  private static Optional<Near> near(
      LanePlan plan, Inventory source, List<Network> subnets, List<Traffic> seen) {
    Map<String, String> zones =
        subnets.stream()
            .filter(t -> t.zone() != null && !t.zone().isEmpty())
            .collect(Collectors.toMap(Network::id, Network::zone));
    if (zones.values().stream().distinct().count() < 2) {
      return Optional.empty();
    }
    return seen.stream()
        .filter(x -> !x.there && !x.other.equals(x.network))
        .max(Comparator.comparingLong(Traffic::bytes).thenComparing(Traffic::other))
        .flatMap(
            x ->
                Optional.ofNullable(zones.get(plan.networks().getOrDefault(x.other, "")))
                    .map(
                        zone ->
                            new Near(
                                zone,
                                "it exchanges most with "
                                    + name(source, x.other)
                                    + " ("
                                    + Sizes.text(x.bytes)
                                    + "), which is joined to zone "
                                    + zone
                                    + " too")));
  }

  private static String name(Inventory source, String network) {
    return source.networks().stream()
        .filter(n -> n.id().equals(network) && !n.name().isEmpty())
        .map(Network::name)
        .findFirst()
        .orElse(network);
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

  private static boolean carries(Storage t, Load load) {
    return (t.limits().operations() == 0 || load.use.operations <= t.limits().operations())
        && (t.limits().throughputMib() == 0 || load.use.mib <= t.limits().throughputMib());
  }

  private static Candidate storage(Storage s, Storage t, Load load, long holding) {
    List<String> reasons = new ArrayList<>();
    int points = 0;
    boolean holds = holds(t, load);
    boolean carries = carries(t, load);
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
    } else if (carries && holding == 1) {
      points += ONLY_ONE;
      reasons.add(
          load.disks == 0
              ? "it is the only class"
              : "it is the only class that holds its largest disk, "
                  + Sizes.text(load.largestBytes)
                  + (load.use.disks() == 0 ? "" : ", and carries what its busiest needs"));
    }
    if (!carries) {
      reasons.add(
          String.format(
              Locale.ROOT,
              "its busiest disk needs %.0f operations and %.1f MiB a second, and a disk of this"
                  + " class %s at most",
              load.use.operations,
              load.use.mib,
              limits(t)));
    }
    long here = load.use.classes.getOrDefault(t.id(), 0L);
    if (here > 0) {
      points += Math.round(ASSESSED * (float) here / load.use.disks());
      reasons.add(
          "the assessment whose sizes were accepted puts "
              + here
              + " of its "
              + Counts.of(load.use.disks(), "measured disk")
              + " in this class");
    }
    return new Candidate(t.id(), points, holds && carries, List.copyOf(reasons));
  }

  private static String limits(Storage t) {
    List<String> all = new ArrayList<>();
    if (t.limits().operations() > 0) {
      all.add(String.format(Locale.ROOT, "%.0f operations", t.limits().operations()));
    }
    if (t.limits().throughputMib() > 0) {
      all.add(String.format(Locale.ROOT, "%.1f MiB", t.limits().throughputMib()));
    }
    return String.join(" and ", all);
  }
}
