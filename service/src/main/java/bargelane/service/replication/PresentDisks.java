package bargelane.service.replication;

import bargelane.blocks.DigestVolume;
import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * The disks that machines have now, against those that their tow copies. The next pass takes new
 * ones in where the lane says which class they go to, unless it leaves them out; the others, and
 * those that were detached, are told of and keep the machine where it is.
 *
 * <p>Cost: nothing but a comparison where there are none; the lane's decisions where one is left
 * out; a reading of the site's inventory when there is one that was not seen before.
 */
final class PresentDisks {

  private static final String LATER = "the next pass takes it in then";

  private final Services services;

  PresentDisks(Services services) {
    this.services = services;
  }

  /** A disk of a machine and where its copy goes; no class where it can't be copied. */
  private record Placed(
      Disk disk, boolean leftOut, Optional<String> storage, String key, String why, String advice) {
    static Placed nowhere(Disk disk, String why, String advice) {
      return new Placed(disk, false, Optional.empty(), "", why, advice);
    }

    static Placed out(Disk disk) {
      return new Placed(disk, true, Optional.empty(), "", "", "");
    }
  }

  /**
   * Looks at one machine before its disks are taken.
   *
   * @param now the machine as it is at the side that is read
   * @param begun whether the pass has begun to take disks: what it takes is not changed any more
   * @return whether disks were taken in
   * @throws RunFailure in a move, which would leave a disk behind
   */
  boolean look(
      Work w, TowState state, LegEntity leg, MemberEntity m, MachineFacts now, boolean begun) {
    Side from = TowState.source(leg);
    Berth berth = TowState.berth(m, from).orElseThrow();
    List<String> own = state.replicasOf(m).stream().map(r -> berth.disks().get(r.disk)).toList();
    List<String> more =
        now.disks().stream()
            .map(Disk::volume)
            .filter(v -> !own.contains(v) && !berth.carried().containsValue(v))
            .toList();
    List<String> present = now.disks().stream().map(Disk::volume).toList();
    List<String> less = own.stream().filter(v -> !present.contains(v)).toList();
    if (more.isEmpty() && less.isEmpty() && m.differing.equals("[]") || begun) {
      return false;
    }
    List<Placed> placed = more.isEmpty() ? List.of() : placed(state, m, from, more);
    boolean move = PassRun.urgent(w);
    boolean taken = false;
    List<DifferingDisk> left = new ArrayList<>();
    for (Placed p : placed) {
      if (p.leftOut()) {
        leave(w, m, p.disk());
        continue;
      }
      Optional<DifferingDisk> not =
          p.storage().isEmpty() || move
              ? Optional.of(
                  uncopied(
                      p,
                      p.why().isEmpty() ? "no pass has copied it yet" : p.why(),
                      p.advice().isEmpty() ? "wait for the next pass" : p.advice()))
              : take(w, state, leg, m, p);
      taken |= not.isEmpty();
      not.ifPresent(left::add);
    }
    less.forEach(v -> left.add(DifferingDisk.detached(v)));
    if (!left.isEmpty() || !m.differing.equals("[]")) {
      note(w, state.site(from).name, m, left);
    }
    if (move && !left.isEmpty()) {
      DifferingDisk first = left.get(0);
      throw new RunFailure(
          first.code().text(),
          m.name + " at " + state.site(from).name + ": " + first.cause(),
          first.advice());
    }
    return taken;
  }

  private static DifferingDisk uncopied(Placed p, String why, String advice) {
    return new DifferingDisk(
        p.disk().volume(), p.disk().bytes(), p.disk().storage(), false, why, advice);
  }

  private List<Placed> placed(TowState state, MemberEntity m, Side from, List<String> more) {
    List<Disk> told = told(state, m, from, more);
    if (from == Side.AWAY) {
      return told.stream()
          .map(
              d ->
                  Placed.nowhere(
                      d,
                      "it was attached after the machine landed",
                      "detach it before the machine goes back, or settle the move"))
          .toList();
    }
    return services.db().tx(s -> placed(s, state, m, told));
  }

  /** Disks with their sizes, which a platform need not tell with a single machine. */
  private List<Disk> told(TowState state, MemberEntity m, Side from, List<String> volumes) {
    Map<String, Disk> known = new HashMap<>();
    state.toldOf(m).disks().forEach(d -> known.put(d.volume(), d));
    for (DifferingDisk d : DifferingDisk.of(m)) {
      if (d.bytes() > 0) {
        known.put(d.volume(), new Disk(d.volume(), d.bytes(), d.storage()));
      }
    }
    if (!known.keySet().containsAll(volumes)) {
      String machine = TowState.berth(m, from).orElseThrow().platformId();
      services.sites().driver(state.siteId(from)).inventory().machines().stream()
          .filter(f -> f.platformId().equals(machine))
          .flatMap(f -> f.disks().stream())
          .forEach(d -> known.put(d.volume(), d));
    }
    return volumes.stream().map(v -> known.getOrDefault(v, new Disk(v, 0, ""))).toList();
  }

  private static List<Placed> placed(Session s, TowState state, MemberEntity m, List<Disk> told) {
    Rules rules =
        new Rules(
            Json.read(state.lane.plan, LanePlan.class),
            LaneRuleStore.of(s, state.lane.id, state.tow.waveId, state.machineIds()));
    Inventory target = new Inventories(s).of(state.away);
    LaneMachine with =
        new LaneMachine(
                m.machineId,
                state.tow.waveId,
                state.allLabels.get(m.machineId),
                state.toldOf(m).with(told),
                Optional.empty())
            .copying(state.places(m, told.stream().map(Disk::volume).toList()));
    List<Placed> placed = new ArrayList<>();
    for (int i = 0; i < told.size(); i++) {
      Disk disk = told.get(i);
      if (rules.leftOut(with, i)) {
        placed.add(Placed.out(disk));
        continue;
      }
      Optional<String> storage =
          rules
              .disk(Setting.CLASS, with, i)
              .flatMap(e -> target.storage(e.value()))
              .map(Inventory.Storage::id);
      if (disk.bytes() == 0) {
        placed.add(
            Placed.nowhere(
                disk,
                state.home.name + " does not tell its size",
                "see what it is there; " + LATER));
        continue;
      }
      placed.add(
          disk.bytes() > DigestVolume.LARGEST
              ? Placed.nowhere(
                  disk,
                  "it has "
                      + Sizes.text(disk.bytes())
                      + ", where a disk that is replicated has at most "
                      + Sizes.text(DigestVolume.LARGEST),
                  "detach it, or take the machine out of the wave")
              : storage.isEmpty()
                  ? Placed.nowhere(
                      disk,
                      "its storage " + disk.storage() + " is joined to no class",
                      "join the storage on lane "
                          + state.lane.name
                          + ", or choose a class for the disk; "
                          + LATER)
                  : new Placed(
                      disk,
                      false,
                      storage,
                      rules.disk(Setting.KEY, with, i).map(Rules.Effective::value).orElse(""),
                      "",
                      ""));
    }
    return placed;
  }

  /** Makes a replica of a disk; gives why that is not done where the target refuses it. */
  private Optional<DifferingDisk> take(
      Work w, TowState state, LegEntity leg, MemberEntity m, Placed p) {
    TowState present = services.db().tx(s -> TowState.load(s, w.subjectId()));
    MemberEntity member =
        present.members.stream().filter(x -> x.id.equals(m.id)).findFirst().orElseThrow();
    int disk = present.replicasOf(member).size();
    String volume = VolumeNames.volume(leg.id, member, disk);
    String digests = ReplicaEntity.digestsOf(volume);
    String storage = p.storage().orElseThrow();
    try {
      create(w, state, volume, p.disk().bytes(), storage, p.key());
      create(w, state, digests, DigestVolume.bytesFor(p.disk().bytes()), storage, p.key());
    } catch (SiteException e) {
      if (e.kind() != SiteException.Kind.FINAL) {
        throw e;
      }
      // Its other disks are copied all the same.
      return Optional.of(
          uncopied(p, "there is no place for its copy: " + e.getMessage(), "make room; " + LATER));
    }
    services
        .db()
        .run(
            s -> {
              s.find(LegEntity.class, leg.id, LockMode.PESSIMISTIC_WRITE);
              MemberEntity stored = s.find(MemberEntity.class, m.id);
              Berth before = TowState.berth(stored, Side.HOME).orElseThrow();
              TowState.berth(stored, Side.HOME, before.taking(p.disk().volume(), disk));
              ReplicaEntity r = ReplicaEntity.blank(leg.id, stored, disk, p.disk().bytes());
              r.id = Ids.next("rep");
              r.volume = volume;
              r.digests = digests;
              r.storage = storage;
              r.key = p.key();
              // Its volume may be there from before a restore of the records.
              r.blank = false;
              r.anywhere = true;
              s.persist(r);
              MachineEntity machine = s.find(MachineEntity.class, m.machineId);
              MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
              if (facts.disks().stream().noneMatch(d -> d.volume().equals(p.disk().volume()))) {
                List<Disk> all = new ArrayList<>(facts.disks());
                all.add(p.disk());
                machine.facts = Json.text(facts.with(all));
              }
              tell(
                  s,
                  w,
                  m.name
                      + (before.leftOut().contains(p.disk().volume())
                          ? " has a disk that was left out, "
                          : " has a new disk ")
                      + p.disk().volume()
                      + " ("
                      + Sizes.text(p.disk().bytes())
                      + "): it is copied with the others from this pass on");
            });
    return Optional.empty();
  }

  /** Has a machine's berth name a disk that is left out, where it does not yet. */
  private void leave(Work w, MemberEntity m, Disk disk) {
    if (TowState.berth(m, Side.HOME).orElseThrow().leftOut().contains(disk.volume())) {
      return;
    }
    services
        .db()
        .run(
            s -> {
              MemberEntity stored = s.find(MemberEntity.class, m.id, LockMode.PESSIMISTIC_WRITE);
              Berth before = TowState.berth(stored, Side.HOME).orElseThrow();
              if (before.leftOut().contains(disk.volume())) {
                return;
              }
              TowState.berth(stored, Side.HOME, before.leaving(disk.volume()));
              tell(
                  s,
                  w,
                  m.name
                      + (before.disks().contains(disk.volume()) ? " has disk " : " has a new disk ")
                      + disk.volume()
                      + " ("
                      + Sizes.text(disk.bytes())
                      + "): it is left out, as the lane decides");
            });
  }

  private void create(
      Work w, TowState state, String volume, long bytes, String storage, String key) {
    String site = state.away.id;
    // Of an attempt that ended before it was recorded, perhaps for another disk.
    if (services.ledger().recorded(site, "volume", volume)) {
      Optional<String> left = services.ledger().remove(site, "volume", volume);
      if (left.isPresent()) {
        throw new SiteException(SiteException.Kind.FINAL, "volume-left", left.get(), null);
      }
    }
    String owner = services.ledger().plan(site, w.subjectId(), "volume", volume);
    Target target = services.sites().driver(site).target();
    target.createVolume(volume, owner, bytes, storage, key);
    // It may be there from before a restore of the records, when the disk was smaller.
    target.growVolume(volume, bytes);
  }

  /** Keeps what differs, and tells it where that is new. */
  private void note(Work w, String site, MemberEntity m, List<DifferingDisk> left) {
    String text = Json.text(left);
    services
        .db()
        .run(
            s -> {
              MemberEntity stored = s.find(MemberEntity.class, m.id);
              List<DifferingDisk> before = DifferingDisk.of(stored);
              if (before.equals(left)) {
                return;
              }
              stored.differing = text;
              for (DifferingDisk d : left) {
                if (!before.contains(d)) {
                  tell(s, w, m.name + " at " + site + ": " + d.cause());
                }
              }
            });
  }

  private void tell(Session s, Work w, String text) {
    services.events().tell(s, "pass", w.subjectId(), w.runId(), text, null);
  }
}
