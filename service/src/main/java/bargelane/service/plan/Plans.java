package bargelane.service.plan;

import bargelane.core.lane.Joins;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Preflight;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.wave.Proof;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowState;
import bargelane.service.site.Sites;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * The present plan of a tow: where each machine is to land by the lane's rules, and what is in the
 * way.
 */
public final class Plans {

  private Plans() {}

  /** Preflight of all members, in their order. */
  public static List<Preflight.Result> place(TowState state) {
    LanePlan plan = Json.read(state.lane.plan, LanePlan.class);
    Inventory away = Sites.inventory(state.away);
    Set<String> ours = new HashSet<>();
    away.machines().stream()
        .filter(m -> !m.owner().isEmpty())
        .forEach(m -> ours.add(m.platformId()));
    List<MachineFacts> machines = state.members.stream().map(m -> facts(state, m)).toList();
    List<Optional<String>> sizes =
        state.members.stream().map(m -> Optional.of(m.size).filter(x -> !x.isEmpty())).toList();
    Joins joins =
        new Joins(plan, state.lane.name, Sites.inventory(state.home), away, state.away.name);
    return new Preflight(plan, joins, away, Sites.capabilities(state.away), ours)
        .place(machines, sizes);
  }

  public static MachineFacts facts(TowState state, MemberEntity member) {
    return Json.read(state.facts.get(member.machineId), MachineFacts.class);
  }

  /** The last test of a member. */
  public record Test(boolean passed, String at, String run, Proof proof) {}
}
