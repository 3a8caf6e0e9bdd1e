package bargelane.service.plan;

import bargelane.api.SpanView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Rules.Effective;
import bargelane.core.lane.Setting;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.connection.AddressClients;
import bargelane.service.plan.LanePlans.Placed;
import bargelane.service.plan.LanePlans.Plan;
import bargelane.text.Counts;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.hibernate.Session;

/**
 * Networks whose range is at both ends of a lane. A system sends what is for its own range to its
 * own segment (RFC 1122, section 3.3.1.1), so that of two machines of such a range one that has
 * moved and one that stays reach each other only where the network is extended between the sites.
 *
 * <p>Cost: the pairs that were seen to talk of the machines that are looked at.
 */
final class Spans {

  /** Machines that are named of many. */
  private static final int NAMED = 3;

  /** Where a machine's address is. */
  private record At(Placed placed, String network) {}

  private final Plan plan;

  /** By id, the networks of the source whose ranges are at both ends. */
  private final Map<String, Network> both = new LinkedHashMap<>();

  /** By address. */
  private final Map<String, At> machines = new HashMap<>();

  Spans(Plan plan) {
    this.plan = plan;
    for (Network n : plan.shores().source().networks()) {
      Optional<Subnet> range = Subnet.of(n.cidr());
      if (!n.isolated()
          && range.isPresent()
          && joined(n)
              .flatMap(t -> Subnet.of(t.cidr()))
              .filter(range.get()::overlaps)
              .isPresent()) {
        both.put(n.id(), n);
      }
    }
    for (Placed p : plan.machines()) {
      for (Nic nic : p.result().machine().nics()) {
        if (both.containsKey(nic.network())) {
          Address.canonical(nic.address())
              .ifPresent(a -> machines.putIfAbsent(a, new At(p, nic.network())));
        }
      }
    }
  }

  private Optional<Network> joined(Network n) {
    return plan.rules()
        .network(Setting.SUBNET, n.id())
        .flatMap(to -> plan.shores().target().network(to.value()));
  }

  private boolean extended(String network) {
    return plan.rules().network(Setting.SPAN, network).map(Effective::value).isPresent();
  }

  private static String name(At at) {
    return at.placed.result().machine().name();
  }

  /** Whether two machines of one range are to move at different times. */
  private static boolean apart(At a, At b) {
    return !a.placed.wave().isEmpty()
        && a.network.equals(b.network)
        && !a.placed.wave().equals(b.placed.wave());
  }

  /** What is found for machines in waves, by their id. */
  Map<String, List<Finding>> findings(Session s, Collection<Placed> of) {
    Set<String> own = new HashSet<>();
    for (Placed p : of) {
      for (Nic nic : p.result().machine().nics()) {
        if (!p.wave().isEmpty() && both.containsKey(nic.network()) && !extended(nic.network())) {
          Address.canonical(nic.address()).ifPresent(own::add);
        }
      }
    }
    Map<String, Set<String>> others = new LinkedHashMap<>();
    for (AddressClients.Pair pair : AddressClients.pairs(s, own)) {
      neighbour(others, own, pair.client(), pair.server());
      neighbour(others, own, pair.server(), pair.client());
    }
    Map<String, List<Finding>> found = new LinkedHashMap<>();
    others.forEach(
        (address, names) ->
            found
                .computeIfAbsent(
                    machines.get(address).placed.result().of().id(), x -> new ArrayList<>())
                .add(finding(address, machines.get(address), List.copyOf(names))));
    return found;
  }

  private void neighbour(
      Map<String, Set<String>> others, Set<String> own, String address, String with) {
    At at = machines.get(address);
    At peer = machines.get(with);
    if (own.contains(address) && at != null && peer != null && apart(at, peer)) {
      others.computeIfAbsent(address, a -> new TreeSet<>()).add(name(peer));
    }
  }

  private Finding finding(String address, At at, List<String> names) {
    Network n = both.get(at.network);
    return new Finding(
        Code.RANGE_DIVIDED,
        name(at) + ", address " + address,
        Counts.of(names.size(), "machine")
            + " of "
            + n.cidr()
            + (names.size() == 1 ? " talks" : " talk")
            + " with it and "
            + (names.size() == 1 ? "is" : "are")
            + " not in wave "
            + at.placed.wave()
            + " ("
            + String.join(", ", names.subList(0, Math.min(NAMED, names.size())))
            + (names.size() > NAMED ? " and " + Counts.of(names.size() - NAMED, "other") : "")
            + "): the range is at both ends, so while they are at different ones they do not reach"
            + " each other",
        Remedy.of(
            "move them together, or have the network extended and say so with span=extended",
            Action.LANE_SPANS,
            plan.lane().name),
        Who.ENGINEER);
  }

  /** All such networks, with what hangs on each. */
  List<SpanView> views(Session s) {
    Map<String, Long> moved = moved(s);
    Map<String, Long> across = new HashMap<>();
    for (AddressClients.Pair pair : AddressClients.pairs(s, machines.keySet())) {
      At a = machines.get(pair.client());
      At b = machines.get(pair.server());
      if (a != null && b != null && (apart(a, b) || apart(b, a))) {
        across.merge(a.network, 1L, Long::sum);
      }
    }
    Map<String, List<Placed>> members = new HashMap<>();
    for (Placed p : plan.machines()) {
      p.result().machine().nics().stream()
          .map(Nic::network)
          .filter(both::containsKey)
          .distinct()
          .forEach(n -> members.computeIfAbsent(n, x -> new ArrayList<>()).add(p));
    }
    List<SpanView> views = new ArrayList<>();
    for (Network n : both.values()) {
      List<Placed> on = members.getOrDefault(n.id(), List.of());
      views.add(
          new SpanView(
              n.id(),
              n.name(),
              n.cidr(),
              joined(n).map(Network::id).orElse(""),
              extended(n.id()) ? "extended" : "",
              on.size() - moved.getOrDefault(n.id(), 0L),
              moved.getOrDefault(n.id(), 0L),
              across.getOrDefault(n.id(), 0L),
              on.stream().map(Placed::wave).filter(w -> !w.isEmpty()).distinct().count()));
    }
    return views;
  }

  /** Machines of the lane that have landed, by the network that they are on at the source. */
  private Map<String, Long> moved(Session s) {
    Set<String> landed =
        new HashSet<>(
            s.createNativeQuery(
                    "select m.machine_id from member m join tow t on t.id = m.tow_id"
                        + " where t.lane_id = :lane and t.landed",
                    String.class)
                .setParameter("lane", plan.lane().id)
                .getResultList());
    Map<String, Long> moved = new HashMap<>();
    for (Placed p : plan.machines()) {
      if (landed.contains(p.result().of().id())) {
        p.result().machine().nics().stream()
            .map(Nic::network)
            .distinct()
            .forEach(n -> moved.merge(n, 1L, Long::sum));
      }
    }
    return moved;
  }
}
