package bargelane.service.plan;

import bargelane.api.WaveAdd;
import bargelane.api.WaveMachine;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.assess.SizeChoices;
import bargelane.service.lane.LaneEntity;
import bargelane.service.machine.MachineEntity;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.Tows;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/** Puts machines into a wave that is planned. */
final class WaveMembers {

  private WaveMembers() {}

  /** Adds all that are asked for, or refuses the first that can't be in it. */
  static void add(Session s, LaneEntity lane, TowEntity tow, WaveAdd asked) {
    Set<String> seen = new HashSet<>();
    Set<String> names = new HashSet<>();
    for (WaveMachine m : asked.machines()) {
      add(s, lane, tow, m, seen, names);
    }
  }

  private static void add(
      Session s,
      LaneEntity lane,
      TowEntity tow,
      WaveMachine asked,
      Set<String> seen,
      Set<String> names) {
    MachineEntity machine = Machines.find(s, asked.machine());
    if (!seen.add(machine.id)) {
      throw ProblemException.invalid(
          "machine-twice", machine.name + " is named twice", "name it once");
    }
    if (!names.add(machine.name)) {
      throw ProblemException.invalid(
          "machines-same-name",
          "two machines of the wave are called "
              + machine.name
              + ": the copies of their disks would have one name",
          "put them into two waves, or rename one at its site");
    }
    if (!machine.siteId.equals(lane.fromSiteId)) {
      throw ProblemException.invalid(
          "machine-elsewhere",
          machine.name + " is not at the site where lane " + lane.name + " begins",
          "choose a lane from its site");
    }
    if (Tows.holds(s, machine.id)) {
      throw ProblemException.conflict(
          "machine-in-wave",
          machine.name + " is in another open wave",
          "settle or remove that wave first");
    }
    if (asked.rank() < 1 || asked.rank() > 99) {
      throw ProblemException.invalid(
          "rank-malformed",
          "rank " + asked.rank() + " of " + machine.name,
          "ranks go from 1 to 99");
    }
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    MemberEntity member = new MemberEntity();
    member.id = Ids.next("mem");
    member.towId = tow.id;
    member.machineId = machine.id;
    member.name = machine.name;
    member.rank = asked.rank();
    Optional<SizeChoices.Accepted> size = SizeChoices.accepted(s, machine.id, lane.toSiteId);
    member.size = size.map(SizeChoices.Accepted::size).orElse("");
    member.sizeBasis = size.map(SizeChoices.Accepted::basis).orElse("");
    member.home =
        Json.text(
            new Berth(
                facts.platformId(),
                facts.disks().stream().map(Inventory.Disk::volume).toList(),
                List.of()));
    member.open = true;
    s.persist(member);
  }
}
