package bargelane.service.wave;

import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.db.Json;
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
    return new Preflight(plan, away, Sites.capabilities(state.away), ours)
        .place(machines, sizes, Sites.inventory(state.home));
  }

  public static MachineFacts facts(TowState state, MemberEntity member) {
    return Json.read(state.facts.get(member.machineId), MachineFacts.class);
  }

  /** What a test proves: a change of any of it lapses the proof. */
  public record Proof(
      Placement placement, int cpus, long memoryMib, String firmware, List<Long> diskBytes) {}

  /** What would be proven now. */
  public static Proof proof(Placement placement, MachineFacts facts) {
    return new Proof(
        placement,
        facts.cpus(),
        facts.memoryMib(),
        facts.firmware(),
        facts.disks().stream().map(Inventory.Disk::bytes).toList());
  }

  /** The last test of a member. */
  public record Test(boolean passed, String at, String run, Proof proof) {}

  /** What differs between what was proven and what would be now. */
  public static List<String> changed(Proof then, Proof now) {
    java.util.ArrayList<String> changed = new java.util.ArrayList<>();
    if (!then.placement().size().equals(now.placement().size())) {
      changed.add("size " + then.placement().size() + " to " + now.placement().size());
    }
    if (!then.placement().nics().equals(now.placement().nics())) {
      changed.add("networks or addresses");
    }
    if (!then.placement().storages().equals(now.placement().storages())) {
      changed.add("storage classes");
    }
    if (!then.placement().zone().equals(now.placement().zone())) {
      changed.add("zone");
    }
    if (then.cpus() != now.cpus()
        || then.memoryMib() != now.memoryMib()
        || !then.firmware().equals(now.firmware())) {
      changed.add("the machine's hardware");
    }
    if (!then.diskBytes().equals(now.diskBytes())) {
      changed.add("the machine's disks");
    }
    return changed;
  }
}
