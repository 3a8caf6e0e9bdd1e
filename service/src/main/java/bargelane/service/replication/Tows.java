package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.core.replication.PassState;
import bargelane.service.machine.MachineFilter;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** What is recorded of tows as a whole. */
public final class Tows {

  private Tows() {}

  /** Whether a tow has a recovery point. */
  public static boolean hasPoints(Session s, String towId) {
    return Db.first(s, String.class, "select id from PointEntity where towId = ?1", towId)
        .isPresent();
  }

  /**
   * Gives machines of open tows to a site the sizes that were chosen for them.
   *
   * @param sizes by machine
   * @return names of the tows that changed
   */
  public static Set<String> size(
      Session s, String toSiteId, Map<String, String> sizes, String basis) {
    Set<String> changed = new TreeSet<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select x.machineId, x.id, t.name from MemberEntity x join TowEntity t on t.id = x.towId"
                + " join LaneEntity l on l.id = t.laneId"
                + " where x.open and l.toSiteId = ?1 and t.settledAt is null",
            toSiteId)) {
      String size = sizes.get((String) row[0]);
      if (size != null) {
        Db.change(
            s,
            "update MemberEntity set size = ?1, sizeBasis = ?2 where id = ?3",
            size,
            basis,
            row[1]);
        changed.add((String) row[2]);
      }
    }
    return changed;
  }

  /** Ids of the tows all of whose machines a filter chooses. */
  public static Set<String> within(Session s, String filter) {
    MachineFilter chosen = MachineFilter.of(filter);
    return Set.copyOf(
        Db.list(
            s,
            String.class,
            "select t.id from TowEntity t"
                + " where exists (select 1 from MemberEntity a where a.towId = t.id)"
                + " and not exists (select 1 from MemberEntity x where x.towId = t.id"
                + " and x.machineId not in (select m.id from MachineEntity m where "
                + chosen.condition()
                + "))",
            chosen.parameters()));
  }

  /**
   * Refuses a tow that is none of some, as if it were not there; none given are all.
   *
   * @param ref what it was asked for by
   */
  public static void among(Optional<Set<String>> tows, String towId, String ref) {
    if (tows.isPresent() && !tows.get().contains(towId)) {
      throw ProblemException.missing("wave", ref);
    }
  }

  /** The tow of a wave. */
  public static TowEntity ofWave(Session s, String waveId) {
    return Db.first(s, TowEntity.class, "from TowEntity where waveId = ?1", waveId).orElseThrow();
  }

  /** Whether a machine is in a tow that is not settled. */
  public static boolean holds(Session s, String machineId) {
    return Db.first(
            s, String.class, "select id from MemberEntity where machineId = ?1 and open", machineId)
        .isPresent();
  }

  /** The key of a disk's newest copy; empty where none is chosen. */
  public static String key(Session s, String member, int disk) {
    return s.createQuery(
            "select r.key from ReplicaEntity r, LegEntity l where l.id = r.legId"
                + " and r.memberId = ?1 and r.disk = ?2 order by l.number desc",
            String.class)
        .setParameter(1, member)
        .setParameter(2, disk)
        .setMaxResults(1)
        .uniqueResultOptional()
        .orElse("");
  }

  /** The number of the next leg of a tow. */
  public static int nextLegNumber(Session s, String towId) {
    return 1
        + Db.first(
                s,
                Integer.class,
                "select coalesce(max(number), 0) from LegEntity where towId = ?1",
                towId)
            .orElse(0);
  }

  /** Closed legs of a tow before the one of a number: their ids. */
  public static List<String> closedBefore(Session s, String towId, int number) {
    return Db.list(
        s,
        String.class,
        "select id from LegEntity where towId = ?1 and number < ?2 and state = ?3",
        towId,
        number,
        LegState.CLOSED);
  }

  /** The points of a leg. */
  public static List<PointEntity> points(Session s, String legId) {
    return Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", legId);
  }

  /** How many points a tow has. */
  public static int countPoints(Session s, String towId) {
    return Db.first(s, Long.class, "select count(*) from PointEntity where towId = ?1", towId)
        .orElse(0L)
        .intValue();
  }

  /** A point of a leg by its id or its number. */
  public static Optional<PointEntity> point(Session s, LegEntity leg, String ref) {
    return Db.first(
        s,
        PointEntity.class,
        "from PointEntity where legId = ?1 and (id = ?2 or cast(number as string) = ?2)",
        leg.id,
        ref);
  }

  /** The replicas of a leg. */
  public static List<ReplicaEntity> replicas(Session s, String legId) {
    return Db.list(s, ReplicaEntity.class, "from ReplicaEntity where legId = ?1", legId);
  }

  /** Closes the legs of a tow, each under its lock: no pass begins on it any more. */
  public static void end(Session s, String towId) {
    for (LegEntity leg : Db.list(s, LegEntity.class, "from LegEntity where towId = ?1", towId)) {
      s.refresh(leg, LockMode.PESSIMISTIC_WRITE);
      leg.state = LegState.CLOSED;
    }
  }

  /**
   * Puts the copies of a leg's disks in doubt: the next pass trusts no digest of theirs, and
   * compares all of them with the source.
   */
  public static void doubt(Session s, String legId) {
    Db.change(
        s, "update ReplicaEntity set anywhere = true where legId = ?1 and blank = false", legId);
  }

  /**
   * Puts the copies of disks in doubt, unless a tug has taken the leg's open pass: that one knows
   * nothing of the doubt, and its end would clear it. Gives whether they are.
   */
  public static boolean doubt(Session s, String legId, List<PassDisk> disks) {
    // No pass of the leg is recorded before this transaction ends, and none that is offered taken.
    s.find(LegEntity.class, legId, LockMode.PESSIMISTIC_WRITE);
    boolean taken =
        Db.query(s, PassEntity.class, "from PassEntity where legId = ?1 and endedAt is null", legId)
            .setHibernateLockMode(LockMode.PESSIMISTIC_WRITE)
            .getResultList()
            .stream()
            .anyMatch(p -> p.epoch > 0);
    if (taken && !disks.isEmpty()) {
      return false;
    }
    for (PassDisk d : disks) {
      Db.change(
          s,
          "update ReplicaEntity set anywhere = true where legId = ?1 and memberId = ?2 and disk = ?3",
          legId,
          d.memberId(),
          d.disk());
    }
    return true;
  }

  /**
   * Takes records for what they are after a restore, in the caller's transaction: no tow that is
   * not settled is worked on until it is seen where its machines run, and every copy is in doubt.
   *
   * @param madeAt when the backup was made
   */
  public static void restored(Session s, Instant madeAt, Instant now) {
    Db.change(s, "update TowEntity set uncheckedSince = ?1 where settledAt is null", madeAt);
    Db.change(
        s,
        "update LegEntity set heldBy = ?1 where state <> ?2",
        "the restore of a backup",
        LegState.CLOSED);
    Db.change(s, "update ReplicaEntity set anywhere = true where blank = false");
    Db.change(
        s,
        "update PassEntity set state = ?1, endedAt = ?2 where endedAt is null",
        PassState.FAILED,
        now);
  }

  /** Where the machines of a tow run was looked at: it may be worked on. */
  public static void checked(Session s, TowState state) {
    s.find(TowEntity.class, state.tow.id).uncheckedSince = null;
    // A run that was cut off by the restore may have paused it.
    state
        .leg
        .map(l -> s.find(LegEntity.class, l.id))
        .filter(l -> l.state == LegState.PAUSED)
        .ifPresent(l -> l.state = LegState.OPEN);
  }

  /** Whether a leg has been opened. */
  public static boolean isLeg(Session s, String legId) {
    return s.find(LegEntity.class, legId) != null;
  }

  /** Deletes the records of what a tow holds: its points and its replicas. */
  public static void forgetCopies(Session s, String towId) {
    Db.change(s, "delete from PointEntity where towId = ?1", towId);
    forgetReplicas(s, towId);
  }

  /** The move is over: its machines are free for another one. */
  public static void settle(Session s, String towId, Instant at) {
    s.find(TowEntity.class, towId).settledAt = at;
    Db.change(s, "update MemberEntity set open = false where towId = ?1", towId);
  }

  private static void forgetReplicas(Session s, String towId) {
    Db.change(
        s,
        "delete from ReplicaEntity where legId in (select id from LegEntity where towId = ?1)",
        towId);
  }

  /** Deletes the records of a tow that holds nothing; its passes, legs and members. */
  public static void forget(Session s, String towId) {
    Db.change(s, "delete from PassEntity where towId = ?1", towId);
    PassDays.forget(s, towId);
    forgetReplicas(s, towId);
    Db.change(s, "delete from LegEntity where towId = ?1", towId);
    dropMembers(s, towId);
  }

  /** Deletes the records of a tow's machines, of which nothing is at its sites. */
  public static void dropMembers(Session s, String towId) {
    Db.change(s, "delete from MemberEntity where towId = ?1", towId);
  }
}
