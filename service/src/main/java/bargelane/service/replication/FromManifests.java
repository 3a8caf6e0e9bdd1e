package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import org.hibernate.Session;

/**
 * Makes the records of a tow from the manifests of its points, as the service had them that made
 * those; in the caller's transaction.
 */
public final class FromManifests {

  /** A point at a site. */
  public record Point(String name, Manifest manifest) {}

  /**
   * What the tow is to belong to.
   *
   * @param siteId where the points are
   * @param standing the side where its machines run, or ran last
   * @param by who holds its timetable's passes back
   */
  public record Into(
      String waveId,
      String laneId,
      String timetableId,
      String siteId,
      Side standing,
      String by,
      Instant at) {}

  private final Session s;
  private final List<Point> points;
  private final Into into;
  private final Manifest newest;

  /**
   * @param points the newest last
   */
  public FromManifests(Session s, List<Point> points, Into into) {
    this.s = s;
    this.points = points;
    this.into = into;
    this.newest = points.get(points.size() - 1).manifest;
  }

  /** The tow itself; the caller says whether its sides diverged. */
  public TowEntity tow() {
    TowEntity tow = new TowEntity();
    tow.id = newest.tow();
    tow.waveId = into.waveId;
    tow.name = newest.wave();
    tow.laneId = into.laneId;
    tow.timetableId = into.timetableId;
    tow.points = points.stream().mapToInt(p -> p.manifest.point()).max().orElse(0);
    tow.landed = into.standing == Side.AWAY;
    s.persist(tow);
    s.flush();
    return tow;
  }

  /**
   * A machine of it.
   *
   * @param found where it was found to run; as the manifest has it if it was not
   */
  public void member(Manifest.Machine told, String machineId, Optional<Berth> found) {
    MemberEntity member = new MemberEntity();
    member.id = told.id();
    member.towId = newest.tow();
    member.machineId = machineId;
    member.name = told.name();
    member.rank = told.rank();
    member.size = told.size();
    member.sizeBasis = told.sizeBasis();
    TowState.berth(member, Side.HOME, told.home());
    TowState.berth(member, Side.AWAY, told.away());
    found.ifPresent(b -> TowState.berth(member, into.standing, b));
    member.refitWord = told.refit().word();
    member.refitOffers = Json.text(told.refit().offers());
    member.refitMade = told.refit().made() == null ? null : told.refit().made().toString();
    member.probe = told.probe() == null ? null : told.probe().toString();
    member.open = true;
    s.persist(member);
  }

  /**
   * The legs that have points, in their order, with their points. All are closed but the last, and
   * that too if its machines run where it leads.
   */
  public List<LegEntity> legs(boolean closed) {
    Map<Integer, List<Point>> byLeg = new TreeMap<>();
    points.forEach(
        p -> byLeg.computeIfAbsent(p.manifest.leg().number(), k -> new ArrayList<>()).add(p));
    List<LegEntity> legs = new ArrayList<>();
    byLeg.forEach(
        (number, all) -> {
          Manifest.Leg told = all.get(all.size() - 1).manifest.leg();
          LegEntity leg = new LegEntity();
          leg.id = told.id();
          leg.towId = newest.tow();
          leg.number = number;
          leg.direction = told.way();
          leg.state = closed || number != newest.leg().number() ? LegState.CLOSED : LegState.OPEN;
          leg.marker = told.marker();
          leg.heldBy = into.by;
          s.persist(leg);
          s.flush();
          all.forEach(p -> leg.pointId = point(leg, p).id);
          legs.add(leg);
        });
    return legs;
  }

  private PointEntity point(LegEntity leg, Point found) {
    Manifest m = found.manifest;
    PointEntity point = new PointEntity();
    point.id = Ids.next("point");
    point.towId = newest.tow();
    point.legId = leg.id;
    point.siteId = into.siteId;
    point.number = m.point();
    point.name = found.name;
    point.asOf = m.asOf();
    point.spreadMs = m.spreadMs();
    point.oneInstant = m.oneInstant();
    point.consistency = m.consistency();
    point.verification = m.verification();
    point.recordedAt = into.at;
    point.sent = m.sent();
    List<PointVolume> volumes = new ArrayList<>();
    for (Manifest.Machine x : m.machines()) {
      x.disks()
          .forEach(
              d ->
                  volumes.add(
                      new PointVolume(x.id(), d.disk(), d.volume(), d.digest(), d.digests())));
    }
    point.volumes = Json.text(volumes);
    s.persist(point);
    s.flush();
    return point;
  }

  /**
   * The copies that later passes write. What was written to them after the newest point is not
   * known: the next pass compares all of them. Where one is gone the wave is to be loaded again.
   *
   * @param there volumes that are at the site
   */
  public void replicas(LegEntity leg, Set<String> there) {
    for (Manifest.Machine m : newest.machines()) {
      for (Manifest.Disk d : m.disks()) {
        ReplicaEntity r = new ReplicaEntity();
        r.id = Ids.next("rep");
        r.legId = leg.id;
        r.memberId = m.id();
        r.disk = d.disk();
        r.volume = d.replica();
        r.digests = d.replicaDigests();
        r.storage = d.storage();
        r.key = d.key() == null ? "" : d.key();
        r.bytes = d.bytes();
        r.intent = "";
        r.blank = !there.contains(r.volume);
        r.anywhere = !r.blank;
        if (r.blank || !there.contains(r.digests)) {
          leg.state = LegState.PAUSED;
        }
        s.persist(r);
      }
    }
  }
}
