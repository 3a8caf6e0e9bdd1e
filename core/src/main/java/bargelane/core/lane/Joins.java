package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Joins looked up against what both shores have: the one place that says what is not joined, or
 * joined to nothing.
 */
public final class Joins {

  private final LanePlan plan;
  private final String lane;
  private final Inventory source;
  private final Inventory target;
  private final String targetName;

  /**
   * @param lane name of the lane, for remedies
   * @param targetName name of the site at its end
   */
  public Joins(LanePlan plan, String lane, Inventory source, Inventory target, String targetName) {
    this.plan = plan;
    this.lane = lane;
    this.source = source;
    this.target = target;
    this.targetName = targetName;
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
   * The subnet that a network is joined to.
   *
   * @param thing what a finding is about
   */
  public Joined<Inventory.Network> network(String id, String thing) {
    String joined = plan.networks().get(id);
    if (joined == null) {
      String name = source.network(id).map(Inventory.Network::name).orElse(id);
      return Joined.nowhere(
          new Finding(
              Code.NETWORK_NOT_JOINED,
              thing,
              "network " + name + " is joined to no subnet of " + targetName,
              Remedy.of("join it", Action.LANE_JOIN_NETWORK, lane, id),
              Who.ENGINEER));
    }
    return target
        .network(joined)
        .map(Joined::to)
        .orElseGet(
            () ->
                Joined.nowhere(
                    new Finding(
                        Code.SUBNET_UNKNOWN,
                        thing,
                        targetName + " has no subnet " + joined,
                        "join "
                            + id
                            + " to one of "
                            + target.networks().stream().map(Inventory.Network::id).toList(),
                        Who.ENGINEER)));
  }

  /** The class that a storage is joined to. */
  public Joined<Inventory.Storage> storage(String id, String thing) {
    String joined = plan.storages().get(id);
    if (joined == null) {
      return Joined.nowhere(
          new Finding(
              Code.STORAGE_NOT_JOINED,
              thing,
              "storage " + id + " is joined to no class of " + targetName,
              Remedy.of("join it", Action.LANE_JOIN_STORAGE, lane, id),
              Who.ENGINEER));
    }
    return target
        .storage(joined)
        .map(Joined::to)
        .orElseGet(
            () ->
                Joined.nowhere(
                    new Finding(
                        Code.STORAGE_UNKNOWN,
                        thing,
                        targetName + " has no storage class " + joined,
                        "join "
                            + id
                            + " to one of "
                            + target.storages().stream().map(Inventory.Storage::id).toList(),
                        Who.ENGINEER)));
  }

  /** Everything of the source that is joined to nothing, or to something that is not there. */
  public List<Finding> findings() {
    List<Finding> findings = new ArrayList<>();
    for (Inventory.Network n : source.networks()) {
      network(n.id(), "network " + n.name()).finding().ifPresent(findings::add);
    }
    for (Inventory.Storage s : source.storages()) {
      storage(s.id(), "storage " + s.name()).finding().ifPresent(findings::add);
    }
    return findings;
  }
}
