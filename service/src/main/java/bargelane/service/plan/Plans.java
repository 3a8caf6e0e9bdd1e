package bargelane.service.plan;

import bargelane.core.lane.Joins;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.wave.ProbePlan;
import bargelane.core.wave.Proof;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowState;
import bargelane.service.site.Inventories;
import bargelane.service.site.Sites;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/**
 * The present plan of a tow: where each machine is to land by the lane's rules, and what is in the
 * way.
 */
public final class Plans {

  private static final TypeReference<List<String>> WORDS = new TypeReference<>() {};

  private Plans() {}

  /** What would be proven of a member by a test now. */
  public static Proof proof(TowState state, MemberEntity m, Placement placement) {
    return Proof.of(placement, facts(state, m), probe(m), offers(m));
  }

  /** Preflight of all members, in their order. */
  public static List<Preflight.Result> place(Session s, TowState state) {
    return place(new Inventories(s), state);
  }

  /** Preflight of all members, where a page asks for several tows' and reads each site once. */
  static List<Preflight.Result> place(Inventories shores, TowState state) {
    LanePlan plan = Json.read(state.lane.plan, LanePlan.class);
    Inventory away = shores.of(state.away);
    List<MachineFacts> machines = state.members.stream().map(m -> facts(state, m)).toList();
    List<Optional<String>> sizes =
        state.members.stream().map(m -> Optional.of(m.size).filter(x -> !x.isEmpty())).toList();
    Joins joins = new Joins(plan, state.lane.name, shores.of(state.home), away, state.away.name);
    return new Preflight(
            state.tow.name,
            plan,
            joins,
            away,
            Sites.capabilities(state.away),
            shores.taken(state.away, plan.networks().values()))
        .place(machines, sizes);
  }

  public static MachineFacts facts(TowState state, MemberEntity member) {
    return Json.read(state.facts.get(member.machineId), MachineFacts.class);
  }

  /** What refits add to a member's guest besides what it needs. */
  public static List<String> offers(MemberEntity m) {
    return Json.read(m.refitOffers, WORDS);
  }

  /** How it is seen that a member's machine does its work. */
  public static ProbePlan probe(MemberEntity m) {
    return m.probe == null ? ProbePlan.USUAL : Json.read(m.probe, ProbePlan.class);
  }

  /** The last test of a member. */
  public record Test(boolean passed, String at, String run, Proof proof) {}
}
