package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Rules.Effective;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Joins looked up against what both shores have: the one place that says what is not joined, or
 * joined to nothing.
 */
public final class Joins {

  private final Rules rules;
  private final String lane;
  private final Inventory source;
  private final Inventory target;
  private final String targetName;

  /** The source's networks by id, of which every card names one. */
  private final Map<String, Inventory.Network> networks = new HashMap<>();

  /** What names of subnets and classes of the target lead to, as they were looked up. */
  private final Map<String, Optional<Inventory.Network>> subnets = new HashMap<>();

  private final Map<String, Optional<Inventory.Storage>> classes = new HashMap<>();

  /** By id of a network of the source, the target's that its range overlaps. */
  private final Map<String, Optional<Inventory.Network>> overlapped = new HashMap<>();

  /**
   * @param lane name of the lane, for remedies
   * @param targetName name of the site at its end
   */
  public Joins(Rules rules, String lane, Inventory source, Inventory target, String targetName) {
    this.rules = rules;
    this.lane = lane;
    this.source = source;
    this.target = target;
    this.targetName = targetName;
    source.networks().forEach(n -> networks.putIfAbsent(n.id(), n));
  }

  /** A network of the source by its id. */
  Optional<Inventory.Network> source(String id) {
    return Optional.ofNullable(networks.get(id)).or(() -> source.network(id));
  }

  /** What a join leads to, or the finding that says why it leads nowhere. */
  public record Joined<T>(Optional<T> to, Optional<Finding> finding) {
    static <T> Joined<T> to(T to) {
      return new Joined<>(Optional.of(to), Optional.empty());
    }

    static <T> Joined<T> nowhere(Finding finding) {
      return new Joined<>(Optional.empty(), Optional.of(finding));
    }
  }

  /**
   * The subnet that what is on a network goes to.
   *
   * @param to what the rules say of it
   * @param thing what a finding is about
   */
  public Joined<Inventory.Network> network(Optional<Effective> to, String id, String thing) {
    if (to.isEmpty()) {
      String name = source.network(id).map(Inventory.Network::name).orElse(id);
      return Joined.nowhere(
          new Finding(
              Code.NETWORK_NOT_JOINED,
              thing,
              "network " + name + " is joined to no subnet of " + targetName,
              Remedy.of("join it", Action.LANE_JOIN_NETWORK, lane, id),
              Who.ENGINEER));
    }
    return subnets
        .computeIfAbsent(to.get().value(), target::network)
        .map(Joined::to)
        .orElseGet(
            () ->
                Joined.nowhere(
                    new Finding(
                        Code.SUBNET_UNKNOWN,
                        thing,
                        targetName + " has no subnet " + to.get().value() + by(to.get(), id),
                        "choose one of "
                            + target.networks().stream().map(Inventory.Network::id).toList(),
                        Who.ENGINEER)));
  }

  /** The class that what is on a storage goes to. */
  public Joined<Inventory.Storage> storage(Optional<Effective> to, String id, String thing) {
    if (to.isEmpty()) {
      return Joined.nowhere(
          new Finding(
              Code.STORAGE_NOT_JOINED,
              thing,
              "storage " + id + " is joined to no class of " + targetName,
              Remedy.of("join it", Action.LANE_JOIN_STORAGE, lane, id),
              Who.ENGINEER));
    }
    return classes
        .computeIfAbsent(to.get().value(), target::storage)
        .map(Joined::to)
        .orElseGet(
            () ->
                Joined.nowhere(
                    new Finding(
                        Code.STORAGE_UNKNOWN,
                        thing,
                        targetName + " has no storage class " + to.get().value() + by(to.get(), id),
                        "choose one of "
                            + target.storages().stream().map(Inventory.Storage::id).toList(),
                        Who.ENGINEER)));
  }

  private static String by(Effective rule, String id) {
    return switch (rule.scope()) {
      case NETWORK, STORAGE -> ", to which " + id + " is joined";
      default -> ", which is set for " + rule.origin();
    };
  }

  /**
   * The target's network whose range overlaps that of a network of the source which is not joined
   * to it: whoever is at the target can't tell the two apart.
   */
  public Optional<Finding> overlap(Inventory.Network n, String thing) {
    return overlapped
        .computeIfAbsent(n.id(), id -> overlapped(n))
        .map(
            t ->
                new Finding(
                    Code.RANGE_OVERLAPS,
                    thing,
                    "its range "
                        + n.cidr()
                        + " overlaps "
                        + t.cidr()
                        + " of network "
                        + t.name()
                        + " at "
                        + targetName
                        + ": from there the two can't be told apart",
                    Remedy.of(
                        "have one of them renumbered, or accept it if nobody at the target has to"
                            + " reach both",
                        Action.LANE_ACCEPT_OVERLAP,
                        lane,
                        n.id()),
                    Who.ENGINEER));
  }

  private Optional<Inventory.Network> overlapped(Inventory.Network n) {
    Optional<Subnet> range = Subnet.of(n.cidr());
    Optional<String> joined =
        rules
            .network(Setting.SUBNET, n.id())
            .flatMap(to -> target.network(to.value()))
            .map(Inventory.Network::id);
    if (range.isEmpty()
        || joined.isEmpty()
        || n.isolated()
        || rules.network(Setting.OVERLAP, n.id()).isPresent()) {
      return Optional.empty();
    }
    return target.networks().stream()
        .filter(t -> !t.isolated() && !joined.equals(Optional.of(t.id())))
        .filter(t -> Subnet.of(t.cidr()).map(range.get()::overlaps).orElse(false))
        .findFirst();
  }

  /** Everything of the source that is joined to nothing, or to something that is not there. */
  public List<Finding> findings() {
    List<Finding> findings = new ArrayList<>();
    for (Inventory.Network n : source.networks()) {
      String thing = "network " + n.name();
      network(rules.network(Setting.SUBNET, n.id()), n.id(), thing)
          .finding()
          .ifPresent(findings::add);
      overlap(n, thing).ifPresent(findings::add);
    }
    for (Inventory.Storage s : source.storages()) {
      storage(rules.storage(Setting.CLASS, s.id()), s.id(), "storage " + s.name())
          .finding()
          .ifPresent(findings::add);
    }
    return findings;
  }
}
