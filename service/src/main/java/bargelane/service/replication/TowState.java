package bargelane.service.replication;

import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.run.Notes;
import bargelane.service.run.Subject;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import org.hibernate.Session;

/** A tow with all that belongs to it, as it was when it was loaded. */
public final class TowState {

  /** The place of a disk that the last scan did not find: nothing is decided of it alone. */
  private static final int UNTOLD = 1_000_000;

  private static final TypeReference<Map<String, String>> LABELS = new TypeReference<>() {};

  public final TowEntity tow;
  public final LaneEntity lane;
  public final TimetableEntity timetable;
  public final SiteEntity home;
  public final SiteEntity away;

  /** By rank, then name. */
  public final List<MemberEntity> members;

  /** The leg that is open or paused. */
  public final Optional<LegEntity> leg;

  /** Whether it was ever loaded: its berths say then which disks are copied. */
  public final boolean loaded;

  /** The inventory's facts of each machine, as JSON, by machine id. */
  private final Map<String, String> facts = new HashMap<>();

  /** The same, read once it is asked for. */
  private final Map<String, MachineFacts> told = new ConcurrentHashMap<>();

  /** Labels by hand of each machine, by machine id. */
  public final Map<String, Map<String, String>> labels = new HashMap<>();

  /** All labels of each machine, those of its platform and of rules among them, by machine id. */
  public final Map<String, Map<String, String>> allLabels = new HashMap<>();

  /** Of the leg, by member and disk. */
  public final List<ReplicaEntity> replicas;

  private TowState(Session s, TowEntity tow) {
    this.tow = tow;
    this.lane = s.find(LaneEntity.class, tow.laneId);
    this.timetable = s.find(TimetableEntity.class, tow.timetableId);
    this.home = s.find(SiteEntity.class, lane.fromSiteId);
    this.away = s.find(SiteEntity.class, lane.toSiteId);
    this.members =
        Db.list(
            s,
            MemberEntity.class,
            "from MemberEntity where towId = ?1 order by rank, name",
            tow.id);
    for (MemberEntity m : members) {
      MachineEntity machine = s.find(MachineEntity.class, m.machineId);
      allLabels.put(m.machineId, Json.read(machine.labels, LABELS));
      facts.put(m.machineId, machine.facts);
      labels.put(m.machineId, Json.read(machine.ownLabels, LABELS));
    }
    List<LegEntity> legs = Db.list(s, LegEntity.class, "from LegEntity where towId = ?1", tow.id);
    this.leg = legs.stream().filter(l -> l.state != LegState.CLOSED).findFirst();
    this.loaded = !legs.isEmpty();
    this.replicas =
        leg.map(
                l ->
                    Db.list(
                        s,
                        ReplicaEntity.class,
                        "from ReplicaEntity where legId = ?1 order by memberId, disk",
                        l.id))
            .orElse(List.of());
  }

  public static TowState load(Session s, String towId) {
    return new TowState(s, s.find(TowEntity.class, towId));
  }

  /** What the platform told of a member's machine, with all disks in its order. */
  public MachineFacts toldOf(MemberEntity m) {
    return told.computeIfAbsent(m.machineId, id -> Json.read(facts.get(id), MachineFacts.class));
  }

  /**
   * What is known of a member's machine at its source, its disks in the order of its berth there:
   * those that its tow does not copy are left out, and one that was detached stays in its place.
   */
  public MachineFacts factsOf(MemberEntity m) {
    MachineFacts told = toldOf(m);
    List<String> own = berth(m, Side.HOME).map(Berth::disks).orElse(List.of());
    if (!loaded || own.isEmpty()) {
      return told;
    }
    Map<String, Disk> known = new HashMap<>();
    told.disks().forEach(d -> known.put(d.volume(), d));
    if (others(m, told)) {
      return told.with(placesOf(m).stream().map(told.disks()::get).toList());
    }
    String storage = told.disks().isEmpty() ? "" : told.disks().get(0).storage();
    List<Disk> disks = new ArrayList<>();
    for (int i = 0; i < own.size(); i++) {
      long bytes = copied(m, i);
      if (bytes == 0 && i < told.disks().size()) {
        bytes = told.disks().get(i).bytes();
      }
      Disk detached = new Disk(own.get(i), bytes, storage);
      disks.add(known.getOrDefault(own.get(i), detached));
    }
    return told.with(disks);
  }

  /**
   * Whether a machine has other volumes than the last scan found, in the same order: after a
   * failback.
   */
  private static boolean others(MemberEntity m, MachineFacts told) {
    Berth berth = berth(m, Side.HOME).orElseThrow();
    Set<String> known = told.disks().stream().map(Disk::volume).collect(Collectors.toSet());
    return !known.containsAll(berth.disks()) && berth.all().size() == told.disks().size();
  }

  /**
   * The place of each disk that is copied among all that its machine has, from 0; empty while it is
   * not loaded.
   */
  public List<Integer> placesOf(MemberEntity m) {
    Optional<Berth> berth = berth(m, Side.HOME);
    if (!loaded || berth.isEmpty()) {
      return List.of();
    }
    return others(m, toldOf(m))
        ? berth.get().disks().stream().map(berth.get().all()::indexOf).toList()
        : places(m, berth.get().disks());
  }

  /** The places of some of a machine's volumes, by which the lane's decisions are numbered. */
  List<Integer> places(MemberEntity m, List<String> volumes) {
    List<String> told = toldOf(m).disks().stream().map(Disk::volume).toList();
    return volumes.stream().map(v -> told.contains(v) ? told.indexOf(v) : UNTOLD).toList();
  }

  /**
   * Has what is known and decided of a machine at its source hold for the volumes that have taken
   * the place of others there.
   */
  public static void follow(Session s, MemberEntity m, Berth former, Berth present) {
    Map<String, String> volumes = new HashMap<>();
    for (int i = 0; i < Math.min(former.disks().size(), present.disks().size()); i++) {
      volumes.put(former.disks().get(i), present.disks().get(i));
    }
    MachineEntity machine = s.find(MachineEntity.class, m.machineId);
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    machine.facts = Json.text(facts.renamed(volumes));
    LaneRuleStore.follow(s, m.machineId, volumes);
  }

  /** Bytes of a replica; 0 where there is none. */
  private long copied(MemberEntity m, int disk) {
    return replicas.stream()
        .filter(r -> r.memberId.equals(m.id) && r.disk == disk)
        .mapToLong(r -> r.bytes)
        .findFirst()
        .orElse(0);
  }

  /** What runs on this tow are about. */
  public Subject subject() {
    return subject(tow);
  }

  static Subject subject(TowEntity tow) {
    return new Subject("wave", tow.id, tow.name);
  }

  public SiteEntity site(Side side) {
    return side == Side.HOME ? home : away;
  }

  public String siteId(Side side) {
    return site(side).id;
  }

  /** The side that is read on a leg. */
  public static Side source(LegEntity leg) {
    return leg.direction == Direction.OUT ? Side.HOME : Side.AWAY;
  }

  /** The side where the machines run. */
  public Side standing() {
    return tow.landed ? Side.AWAY : Side.HOME;
  }

  public static Optional<Berth> berth(MemberEntity member, Side side) {
    return Optional.ofNullable(side == Side.HOME ? member.home : member.away)
        .map(j -> Json.read(j, Berth.class));
  }

  public static void berth(MemberEntity member, Side side, Berth berth) {
    String json = berth == null ? null : Json.text(berth);
    if (side == Side.HOME) {
      member.home = json;
    } else {
      member.away = json;
    }
  }

  /** Ranks in start order. */
  public List<Integer> ranks() {
    TreeSet<Integer> ranks = new TreeSet<>();
    members.forEach(m -> ranks.add(m.rank));
    return List.copyOf(ranks);
  }

  public List<MemberEntity> ofRank(int rank) {
    return members.stream().filter(m -> m.rank == rank).toList();
  }

  /** Members from the last rank to the first: the order in which they are stopped. */
  public List<MemberEntity> stopOrder() {
    List<MemberEntity> order = new ArrayList<>(members);
    Collections.reverse(order);
    return order;
  }

  public List<ReplicaEntity> replicasOf(MemberEntity member) {
    return replicas.stream().filter(r -> r.memberId.equals(member.id)).toList();
  }

  public List<String> machineIds() {
    return members.stream().map(m -> m.machineId).toList();
  }

  /** How wide one snapshot reaches at a side. */
  public Reach reach(Side side) {
    Capabilities c = Sites.capabilities(site(side));
    return c.instant();
  }

  /** A snapshot or marker reaches a machine or the whole site: one name for each that is taken. */
  public static String nameFor(String base, Reach reach, MemberEntity member) {
    return reach == Reach.SITE ? base : base + "-" + member.id;
  }

  /** All snapshot or marker names of a base at a side. */
  public List<String> names(String base, Side side) {
    Reach reach = reach(side);
    return members.stream().map(m -> nameFor(base, reach, m)).distinct().toList();
  }

  /** Points of a tow are numbered through, whatever leg they are of. */
  public static int nextPointNumber(Session s, String towId) {
    return ((Number)
            s.createNativeQuery(
                    "update tow set points = points + 1 where id = ?1 returning points",
                    Object.class)
                .setParameter(1, towId)
                .getSingleResult())
        .intValue();
  }

  /** Points that unfinished runs of a tow work with: their ids. Thinning leaves them. */
  public static Set<String> pointsInUse(Session s, String towId) {
    return Db.list(
            s,
            String.class,
            "select notes from RunEntity where subjectId = ?1 and endedAt is null",
            towId)
        .stream()
        .flatMap(notes -> Notes.of("", notes).get(PassNotes.POINT).stream())
        .collect(Collectors.toSet());
  }

  /**
   * The newest complete point of the leg: the one that was recorded last, whatever clocks said of
   * when it was taken.
   */
  public static Optional<PointEntity> newestPoint(Session s, LegEntity leg) {
    return Optional.ofNullable(s.find(LegEntity.class, leg.id).pointId)
        .map(id -> s.find(PointEntity.class, id));
  }
}
