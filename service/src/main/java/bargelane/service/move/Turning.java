package bargelane.service.move;

import bargelane.blocks.DigestVolume;
import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassDisk;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TimetableTask;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.sites.Target;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Turning replication round: the loser's frozen disks become the base of the replicas; older legs
 * go.
 */
final class Turning {

  private final Services services;
  private final Moves moves;

  Turning(Services services, Moves moves) {
    this.services = services;
    this.moves = moves;
  }

  /** What a turn needs to know of the disks of the side that lost. */
  record Turn(
      Side winner,
      String marker,
      Optional<PointEntity> base,
      boolean equalsBase,
      Map<String, String> intents) {}

  /**
   * Begins replication from the winner to the loser: the loser's disks, frozen, become the base of
   * the replicas. Where they equal the common point, that is a recovery point at once, without a
   * byte moved.
   */
  Outcome turn(Work w, Turn turn) {
    TowState state = moves.state(w);
    Side loser = turn.winner().other();
    String site = state.siteId(loser);
    String legId = w.once(MoveNotes.NEXT_LEG, () -> Ids.next("leg"));
    String anchor = "bl-" + w.runId() + "-anchor";
    if (!services.db().tx(s -> Tows.isLeg(s, legId))) {
      String owner = services.ledger().plan(site, w.subjectId(), "point", anchor);
      List<ReplicaEntity> replicas = new ArrayList<>();
      List<PointVolume> anchored = new ArrayList<>();
      for (MemberEntity m : state.members) {
        // A disk that only one side has, since the point that landed is older than it, stays there.
        List<String> disks = shared(m, loser);
        for (int i = 0; i < disks.size(); i++) {
          ReplicaEntity r = replica(w, state, turn, legId, m, i);
          replicas.add(r);
          // Digests that nothing is known in are none of the point's.
          anchored.add(
              new PointVolume(
                  m.id, i, disks.get(i), root(turn.base(), m.id, i), r.anywhere ? "" : r.digests));
        }
      }
      Target target = moves.driver(state, loser).target();
      target.freeze(
          anchor,
          owner,
          anchored.stream()
              .flatMap(v -> Stream.of(v.volume(), v.digests()))
              .filter(v -> !v.isEmpty())
              .toList());
      for (int i = 0; i < replicas.size(); i++) {
        ReplicaEntity r = replicas.get(i);
        services.ledger().plan(site, w.subjectId(), "volume", r.volume);
        target.cloneVolume(r.volume, owner, r.storage, anchor, anchored.get(i).volume());
      }
      if (turn.equalsBase()) {
        services.custody().take(target, anchor);
        target.attach(anchor, Manifest.FILE, manifest(w, turn, legId, replicas, anchored));
      }
      services.db().run(s -> openLeg(s, w, turn, legId, replicas, anchored, anchor, site));
    }
    services.runs().look();
    return Outcome.done(
        turn.equalsBase()
            ? "the common point is held on both sides"
            : "what either side changed is to cross");
  }

  /** Disks of a side that the other one has, too: those that came later are the last ones. */
  private static List<String> shared(MemberEntity m, Side side) {
    List<String> disks = TowState.berth(m, side).orElseThrow().disks();
    int there = TowState.berth(m, side.other()).orElseThrow().disks().size();
    return disks.subList(0, Math.min(disks.size(), there));
  }

  /** A disk's replica on the way back, with the digests of the common point where it has them. */
  private ReplicaEntity replica(
      Work w, TowState state, Turn turn, String legId, MemberEntity m, int disk) {
    Side loser = turn.winner().other();
    String site = state.siteId(loser);
    ReplicaEntity r = new ReplicaEntity();
    r.id = Ids.next("rep");
    r.legId = legId;
    r.memberId = m.id;
    r.disk = disk;
    r.volume = VolumeNames.volume(legId, m, disk);
    r.digests = ReplicaEntity.digestsOf(r.volume);
    r.bytes = Plans.facts(state, m).disks().get(disk).bytes();
    r.storage = storage(state, loser, m, disk);
    r.key = services.db().tx(s -> Tows.key(s, m.id, disk));
    r.intent = turn.intents().getOrDefault(m.id + "/" + disk, "");
    String owner = services.ledger().plan(site, w.subjectId(), "volume", r.digests);
    moves
        .driver(state, loser)
        .target()
        .createVolume(r.digests, owner, DigestVolume.bytesFor(r.bytes), r.storage, r.keyAt(loser));
    Optional<PassDisk.Digests> known = turn.base().flatMap(b -> digests(b, m.id, disk));
    // Without them, nothing is known of what the replica holds.
    r.anywhere = known.isEmpty();
    known.ifPresent(
        from ->
            services
                .passes()
                .copyDigests(
                    w.subjectId(),
                    legId + "-" + m.id + "-" + disk,
                    from,
                    new PassDisk.Digests(site, "", r.digests),
                    () -> services.db().tx(s -> Tows.isLeg(s, legId))));
    return r;
  }

  private static Optional<PassDisk.Digests> digests(PointEntity base, String member, int disk) {
    return PointVolume.of(base).stream()
        .filter(v -> v.memberId().equals(member) && v.disk() == disk && !v.digests().isEmpty())
        .map(v -> new PassDisk.Digests(base.siteId, base.name, v.digests()))
        .findFirst();
  }

  private static String root(Optional<PointEntity> base, String member, int disk) {
    return base.stream()
        .flatMap(p -> PointVolume.of(p).stream())
        .filter(v -> v.memberId().equals(member) && v.disk() == disk)
        .map(PointVolume::root)
        .findFirst()
        .orElse("");
  }

  private String storage(TowState state, Side side, MemberEntity m, int disk) {
    String volume = TowState.berth(m, side).orElseThrow().disks().get(disk);
    return moves.driver(state, side).inventory().machines().stream()
        .flatMap(x -> x.disks().stream())
        .filter(d -> d.volume().equals(volume))
        .map(d -> d.storage())
        .findFirst()
        .orElseThrow(
            () ->
                new RunFailure(
                    "disk-missing",
                    "volume "
                        + volume
                        + " of "
                        + m.name
                        + " is no longer attached at "
                        + state.site(side).name,
                    "attach it again"));
  }

  /** What lies beside the frozen disks, which are a point that equals the common one. */
  private byte[] manifest(
      Work w, Turn turn, String legId, List<ReplicaEntity> replicas, List<PointVolume> anchored) {
    PointEntity base = turn.base().orElseThrow();
    return services
        .db()
        .tx(
            s -> {
              TowState state = TowState.load(s, w.subjectId());
              return Manifest.of(
                  state,
                  Manifest.Shores.of(s, state),
                  new Manifest.Leg(
                      legId,
                      Tows.nextLegNumber(s, w.subjectId()),
                      direction(turn).word(),
                      turn.marker()),
                  new Manifest.Moment(
                      state.tow.points + 1,
                      w.epoch(),
                      base.asOf,
                      base.oneInstant,
                      base.spreadMs,
                      base.consistency,
                      "",
                      Optional.empty(),
                      base.verification,
                      0),
                  m -> disks(m, replicas, anchored));
            });
  }

  private static List<Manifest.Disk> disks(
      MemberEntity m, List<ReplicaEntity> replicas, List<PointVolume> anchored) {
    List<Manifest.Disk> disks = new ArrayList<>();
    for (int i = 0; i < replicas.size(); i++) {
      ReplicaEntity r = replicas.get(i);
      PointVolume v = anchored.get(i);
      if (r.memberId.equals(m.id)) {
        disks.add(
            new Manifest.Disk(
                r.disk,
                v.volume(),
                r.bytes,
                v.root(),
                v.digests(),
                r.volume,
                r.digests,
                r.storage,
                r.key.isEmpty() ? null : r.key));
      }
    }
    return disks;
  }

  private static Direction direction(Turn turn) {
    return turn.winner() == Side.AWAY ? Direction.BACK : Direction.OUT;
  }

  private void openLeg(
      Session s,
      Work w,
      Turn turn,
      String legId,
      List<ReplicaEntity> replicas,
      List<PointVolume> anchored,
      String anchor,
      String site) {
    TimetableTask.watch(s, legId, services.clock().instant());
    if (s.find(LegEntity.class, legId) != null) {
      return;
    }
    LegEntity leg = new LegEntity();
    leg.id = legId;
    leg.towId = w.subjectId();
    leg.number = Tows.nextLegNumber(s, w.subjectId());
    leg.direction = direction(turn);
    leg.state = LegState.OPEN;
    leg.marker = turn.marker();
    leg.begunBy = w.runId();
    leg.basePointId = turn.base().map(p -> p.id).orElse(null);
    s.persist(leg);
    s.flush();
    replicas.forEach(s::persist);
    if (turn.equalsBase()) {
      PointEntity base = turn.base().orElseThrow();

      PointEntity p = new PointEntity();
      p.id = Ids.next("point");
      p.towId = w.subjectId();
      p.legId = legId;
      p.siteId = site;
      p.number = TowState.nextPointNumber(s, w.subjectId());
      p.name = anchor;
      p.asOf = base.asOf;
      p.spreadMs = base.spreadMs;
      p.oneInstant = base.oneInstant;
      p.consistency = base.consistency;
      p.verification = base.verification;
      p.recordedAt = services.clock().instant();
      p.volumes = Json.text(anchored);
      s.persist(p);
      leg.pointId = p.id;
    }
  }

  /** Removes what a closed leg left: its replicas, points and marker. */
  void dropLeg(String legId) {
    LegEntity leg = services.db().tx(s -> s.find(LegEntity.class, legId));
    services
        .db()
        .run(
            s -> {
              // The rows go in the same transaction in which their things become unwanted: whoever
              // dies after it leaves nothing that the sweep does not find.
              TowState state = TowState.load(s, leg.towId);
              Side from = TowState.source(leg);
              for (PointEntity p : Tows.points(s, legId)) {
                Ledger.drop(s, p.siteId, "point", p.name);
                s.remove(p);
              }
              for (ReplicaEntity r : Tows.replicas(s, legId)) {
                Ledger.drop(s, state.siteId(from.other()), "volume", r.volume);
                Ledger.drop(s, state.siteId(from.other()), "volume", r.digests);
                s.remove(r);
              }
              if (!leg.marker.isEmpty()) {
                state
                    .names(leg.marker, from)
                    .forEach(m -> Ledger.drop(s, state.siteId(from), "marker", m));
              }
            });
    services.ledger().sweep(leg.towId);
  }

  /**
   * Removes what legs before the one this run ended left: nothing can be undone to them any more.
   */
  void dropOlderLegs(Work w) {
    int number = moves.leg(w).number;
    services.db().tx(s -> Tows.closedBefore(s, w.subjectId(), number)).forEach(this::dropLeg);
  }

  /** Ranges that a tally found, by member and disk. */
  static Map<String, String> ranges(List<PassDisk> disks) {
    Map<String, String> ranges = new HashMap<>();
    disks.forEach(d -> ranges.put(d.memberId() + "/" + d.disk(), d.differed()));
    return ranges;
  }
}
