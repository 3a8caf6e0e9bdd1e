package bargelane.service.plan;

import static java.util.stream.Collectors.toMap;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.lane.Rules;
import bargelane.core.replication.Direction;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.wave.ProbePlan;
import bargelane.core.wave.Proof;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.site.Inventories;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
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
    return place(s, new Inventories(s), state);
  }

  /** Preflight of all members, where a page asks for several tows' and reads each site once. */
  static List<Preflight.Result> place(Session s, Inventories inventories, TowState state) {
    Rules rules = rules(s, state);
    List<LaneMachine> machines = state.members.stream().map(m -> machine(state, m)).toList();
    Preflight preflight =
        new Preflight(
            state.tow.name,
            rules,
            new Ends(s, inventories, state.lane, state.home, state.away)
                .shores(rules, machines, state));
    List<Preflight.Result> places = preflight.place(machines);
    Inventory target = inventories.of(state.away);
    List<Preflight.Result> all = new ArrayList<>();
    for (int i = 0; i < places.size(); i++) {
      MemberEntity m = state.members.get(i);
      List<Integer> left = left(state, m);
      Preflight.Result found =
          places.get(i).finding(elsewhere(state, m, places.get(i), target.offers().keys()));
      Preflight.Result place =
          left.isEmpty()
              ? found
              : preflight.leaving(found, machine(state, m, state.toldOf(m)), left);
      all.add(state.tow.landed ? place.landed() : place);
    }
    return all;
  }

  /** Copies that lie where the lane does not decide any more: nothing moves them. */
  private static List<Finding> elsewhere(
      TowState state, MemberEntity m, Preflight.Result place, List<String> keys) {
    if (state.leg.filter(l -> l.direction == Direction.OUT).isEmpty()) {
      return List.of();
    }
    List<Inventory.Disk> disks = place.machine().disks();
    Placement decided = place.placement();
    List<Finding> all = new ArrayList<>();
    for (ReplicaEntity r : state.replicasOf(m)) {
      if (r.disk >= disks.size()) {
        continue;
      }
      String storage = decided.storages().get(r.disk);
      String key = decided.key(r.disk);
      String thing = m.name + ", disk " + disks.get(r.disk).volume();
      if (!r.key.isEmpty() && !r.key.equals(key) && !keys.contains(r.key)) {
        all.add(
            new Finding(
                Finding.Code.CHOICE_NOT_OFFERED,
                thing,
                "the copy of disk "
                    + disks.get(r.disk).volume()
                    + " is encrypted with key "
                    + r.key
                    + ", which "
                    + state.away.name
                    + " does not have any more",
                Remedy.advice("have the key given back there, or plan the machine anew"),
                Finding.Who.SITE_OWNER));
      }
      if (!storage.isEmpty() && !storage.equals(r.storage) || !key.equals(r.key)) {
        all.add(
            new Finding(
                Finding.Code.COPY_ELSEWHERE,
                thing,
                "the copy of disk "
                    + disks.get(r.disk).volume()
                    + " lies in "
                    + place(r.storage, r.key)
                    + ", and the lane decides "
                    + place(storage, key),
                Remedy.advice(
                    "take the machine out of the wave and plan it anew, or decide what is"),
                Finding.Who.ENGINEER));
      }
    }
    return all;
  }

  private static String place(String storage, String key) {
    return "class " + storage + (key.isEmpty() ? " without a chosen key" : " under key " + key);
  }

  private static Rules rules(Session s, TowState state) {
    return new Rules(
        Json.read(state.lane.plan, LanePlan.class),
        LaneRuleStore.of(s, state.lane.id, state.tow.waveId, state.machineIds()));
  }

  /** How far the instants of carried and copied disks may be apart, by member. */
  public static Map<String, Duration> carriedWithin(Session s, TowState state) {
    Rules rules = rules(s, state);
    return state.members.stream()
        .collect(toMap(m -> m.id, m -> rules.carriedWithin(machine(state, m))));
  }

  /** Places of the disks that were left out of a wave that is loaded. */
  private static List<Integer> left(TowState state, MemberEntity m) {
    List<String> out =
        state.loaded
            ? TowState.berth(m, Side.HOME).map(Berth::leftOut).orElse(List.of())
            : List.of();
    if (out.isEmpty()) {
      return List.of();
    }
    List<Inventory.Disk> disks = state.toldOf(m).disks();
    return IntStream.range(0, disks.size())
        .filter(i -> out.contains(disks.get(i).volume()))
        .boxed()
        .toList();
  }

  private static LaneMachine machine(TowState state, MemberEntity m) {
    return machine(state, m, facts(state, m)).copying(state.placesOf(m));
  }

  private static LaneMachine machine(TowState state, MemberEntity m, MachineFacts facts) {
    return new LaneMachine(
        m.machineId,
        state.tow.waveId,
        state.allLabels.get(m.machineId),
        facts,
        Optional.of(m.size).filter(x -> !x.isEmpty()));
  }

  /**
   * Preflight of all members before something is made by it: the addresses that they get are theirs
   * from now on, whatever other waves are planned meanwhile.
   */
  public static List<Preflight.Result> hold(Session s, TowState state) {
    GivenAddresses.lock(s, state.away.id);
    List<Preflight.Result> places = place(s, state);
    for (int i = 0; i < places.size(); i++) {
      GivenAddresses.put(
          s, state.away.id, state.members.get(i).id, places.get(i).placement().nics());
    }
    return places;
  }

  public static MachineFacts facts(TowState state, MemberEntity member) {
    return state.factsOf(member);
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
