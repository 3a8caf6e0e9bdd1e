package bargelane.service.move;

import bargelane.blocks.DigestVolume;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Ids;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.hibernate.Session;

/** Begins replication: blank replicas at the target, a first full pass, then the timetable. */
final class LoadRun implements RunKind {

  private final Services services;
  private final Moves moves;
  private final TargetCheck target;

  LoadRun(Services services, Moves moves, TargetCheck target) {
    this.services = services;
    this.moves = moves;
    this.target = target;
  }

  @Override
  public String name() {
    return "load";
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("target", "Ask the target what it takes now", target::beforeLoad),
        new Step("replicas", "Make the replicas", this::replicas),
        new Step("first", "Make the first, full pass", w -> moves.pass(w, "first", false)),
        new Step("protect", "Hand over to the timetable", this::protect));
  }

  /** The replicas stay: the next load goes on with what they hold. */
  @Override
  public List<Step> backOut(Work work) {
    return List.of(new Step("end-pass", "End its pass", moves::endOwn));
  }

  private Outcome replicas(Work w) {
    TowState state = moves.state(w);
    if (state.leg.isEmpty()) {
      disksPresent(state);
      List<Preflight.Result> places = services.db().tx(s -> Plans.hold(s, state));
      services
          .db()
          .run(
              s -> {
                LegEntity leg = new LegEntity();
                leg.id = Ids.next("leg");
                leg.towId = w.subjectId();
                leg.number = Tows.nextLegNumber(s, w.subjectId());
                leg.direction = Direction.OUT;
                leg.state = LegState.PAUSED;
                leg.marker = "";
                s.persist(leg);
                s.flush();
                for (int i = 0; i < state.members.size(); i++) {
                  copies(s, leg, state.members.get(i), places.get(i));
                }
              });
    }
    TowState made = moves.state(w);
    for (ReplicaEntity r : made.replicas) {
      if (r.bytes > DigestVolume.LARGEST) {
        throw new RunFailure(
            "disk-too-large",
            r.volume
                + " has "
                + Sizes.text(r.bytes)
                + "; a disk that is replicated has at most "
                + Sizes.text(DigestVolume.LARGEST),
            "take the machine out of the wave");
      }
    }
    LegEntity leg = made.leg.orElseThrow();
    if (leg.direction == Direction.BACK) {
      throw new RunFailure(
          "landed",
          "the machines stand at " + made.away.name + " and are replicated back already",
          "nothing is to be done");
    }
    for (ReplicaEntity r : made.replicas) {
      create(w, made, r.volume, r.bytes, r);
      create(w, made, r.digests, DigestVolume.bytesFor(r.bytes), r);
    }
    return Outcome.done(made.replicas.size() + " volumes at " + made.away.name);
  }

  /** A copy for each disk of a machine that is not left out; its berth names both kinds. */
  private static void copies(Session s, LegEntity leg, MemberEntity m, Preflight.Result place) {
    List<Inventory.Disk> all = place.machine().disks();
    List<String> copied = new ArrayList<>();
    for (int i = 0; i < all.size(); i++) {
      if (place.leftOut(i)) {
        continue;
      }
      int disk = copied.size();
      ReplicaEntity r = ReplicaEntity.blank(leg.id, m, disk, all.get(i).bytes());
      r.id = Ids.next("rep");
      r.volume = VolumeNames.volume(leg.id, m, disk);
      r.digests = ReplicaEntity.digestsOf(r.volume);
      r.storage = place.placement().storages().get(i);
      r.key = place.placement().key(i);
      s.persist(r);
      copied.add(all.get(i).volume());
    }
    Berth berth = TowState.berth(m, Side.HOME).orElseThrow();
    TowState.berth(
        s.find(MemberEntity.class, m.id),
        Side.HOME,
        new Berth(
            berth.platformId(),
            copied,
            berth.previous(),
            berth.name(),
            all.stream().map(Inventory.Disk::volume).toList()));
  }

  /**
   * Whether machines have the disks that the last scan found: all that follows is made of these.
   */
  private void disksPresent(TowState state) {
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, Side.HOME).orElseThrow();
      List<String> known =
          Plans.facts(state, m).disks().stream().map(Inventory.Disk::volume).toList();
      List<String> now =
          moves.compute(state, Side.HOME).machine(berth.platformId()).disks().stream()
              .map(Inventory.Disk::volume)
              .toList();
      if (!Set.copyOf(now).equals(Set.copyOf(known))) {
        throw new RunFailure(
            "disks-changed",
            m.name + " has other disks now than the last scan of " + state.home.name + " found",
            Remedy.of("scan it, and load again", Action.SITE_SCAN, state.home.name));
      }
    }
  }

  private void create(Work w, TowState made, String volume, long bytes, ReplicaEntity of) {
    String owner = services.ledger().plan(made.away.id, w.subjectId(), "volume", volume);
    moves
        .driver(made, Side.AWAY)
        .target()
        .createVolume(volume, owner, bytes, of.storage, of.keyAt(Side.AWAY));
  }

  private Outcome protect(Work w) {
    return moves.resume(w);
  }
}
