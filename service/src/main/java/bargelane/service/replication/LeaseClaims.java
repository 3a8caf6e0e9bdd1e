package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseOpened;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.sites.DiskReaders;
import bargelane.sites.SiteException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** How a tug comes to a pass: it claims one that is offered, and what it needs is opened for it. */
final class LeaseClaims {

  /** The part of a lease in which exports are opened is so many times as long as a lease. */
  static final int OPENING = 3;

  private final Passes passes;

  LeaseClaims(Passes passes) {
    this.passes = passes;
  }

  /** Gives work, waiting for some to come. */
  Optional<Lease> take(String tug, String reader, int waitSeconds) throws InterruptedException {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(Math.min(waitSeconds, 20));
    long heard = passes.bell.now();
    boolean first = true;
    while (true) {
      // Another node may have offered something, or a pause be over: one of all who wait here looks
      // again each second.
      if (first || passes.bell.turn()) {
        Optional<Claimed> claimed = passes.db.tx(s -> claim(s, tug, reader));
        if (claimed.isPresent()) {
          if (!first) {
            // Where there was one there may be more.
            passes.bell.ring();
          }
          Optional<Lease> lease = open(claimed.get());
          if (lease.isPresent()) {
            return lease;
          }
        }
      }
      long left = until - System.nanoTime();
      if (left <= 0) {
        return Optional.empty();
      }
      long rung = passes.bell.await(heard, Math.min(left, Bell.SECOND_NS));
      first = rung != heard;
      heard = rung;
    }
  }

  /**
   * A pass that a tug was given: its disks that are left, what may differ in their replicas, by id,
   * the roots of the digests of those that are known to be as their newest point is, and since when
   * it has got nowhere.
   */
  private record Claimed(
      PassEntity pass,
      List<PassDisk> left,
      Map<String, ReplicaEntity> replicas,
      Map<String, String> roots,
      Instant waitedSince) {}

  private Optional<Claimed> claim(Session s, String tug, String reader) {
    List<?> ids =
        s.createNativeQuery(
                // What is put off for longer than any pause is so by a clock that has stepped back.
                "select id from pass where ended_at is null and state = 'ready' and (not_before is null or not_before <= :now"
                    + " or not_before > :last)"
                    // One scrub at a time, and when nothing else is to be done.
                    + " and not (idle and exists (select 1 from pass o where o.idle"
                    + " and o.ended_at is null and o.state = 'leased'))"
                    + " order by urgent desc, idle, started_at limit 1 for update skip locked",
                Object.class)
            .setParameter("now", passes.clock.instant())
            .setParameter("last", passes.clock.instant().plus(Passes.LONGEST_PAUSE))
            .getResultList();
    if (ids.isEmpty()) {
      return Optional.empty();
    }
    PassEntity pass = s.find(PassEntity.class, ids.get(0).toString());
    pass.state = PassState.LEASED;
    Instant waitedSince = pass.stalledSince;
    if (pass.attempts == 0) {
      // Until now it waited for a tug.
      pass.stalledSince = null;
    }
    pass.tug = tug;
    pass.reader = reader;
    pass.epoch++;
    pass.leaseUntil = passes.clock.instant().plus(opening());
    List<PassDisk> left = Passes.disks(pass).stream().filter(d -> !d.finished()).toList();
    passes.exports.recordSources(s, pass, left);
    Map<String, ReplicaEntity> replicas = new HashMap<>();
    Map<String, String> roots = new HashMap<>();
    List<PointVolume> newest = newest(s, pass);
    for (PassDisk d : left) {
      if (d.to() != null) {
        // What earlier attempts, those at this pass among them, may have written is not trusted.
        ReplicaEntity replica = s.find(ReplicaEntity.class, d.replicaId());
        replicas.put(d.replicaId(), replica);
        roots.put(d.replicaId(), knownRoot(newest, replica));
      }
    }
    return Optional.of(new Claimed(pass, left, replicas, roots, waitedSince));
  }

  /** What the newest point of a pass's leg holds; nothing if there is none. */
  static List<PointVolume> newest(Session s, PassEntity pass) {
    return Optional.ofNullable(pass.legId)
        .flatMap(leg -> TowState.newestPoint(s, s.find(LegEntity.class, leg)))
        .map(PointVolume::of)
        .orElse(List.of());
  }

  /** The root of a replica's digests if it is exactly as its newest point; empty otherwise. */
  static String knownRoot(List<PointVolume> newest, ReplicaEntity r) {
    if (r.anywhere || r.blank || !r.intent.isEmpty()) {
      return "";
    }
    return newest.stream()
        .filter(v -> v.memberId().equals(r.memberId) && v.disk() == r.disk)
        .map(PointVolume::root)
        .findFirst()
        .orElse("");
  }

  /**
   * Opens what a claimed pass reads; empty if a site refused, and the pass is then offered again or
   * failed.
   */
  private Optional<Lease> open(Claimed claimed) {
    PassEntity pass = claimed.pass;
    try {
      if (pass.epoch > 1) {
        passes.exports.revokeFormer(pass);
      }
      List<LeaseDisk> given = new ArrayList<>();
      long renewed = System.nanoTime();
      for (PassDisk disk : claimed.left) {
        if (System.nanoTime() - renewed > passes.lease.toNanos()) {
          if (stillHeld(pass, opening()).isEmpty()) {
            passes.exports.revokeOwn(pass);
            return Optional.empty();
          }
          renewed = System.nanoTime();
        }
        given.add(
            DiskReaders.with(
                pass.reader,
                () ->
                    passes.exports.openSource(
                        pass,
                        disk,
                        Optional.ofNullable(claimed.replicas.get(disk.replicaId())),
                        claimed.roots.getOrDefault(disk.replicaId(), ""))));
      }
      Optional<PassKind> kind = stillHeld(pass, passes.lease);
      if (kind.isEmpty()) {
        passes.exports.revokeOwn(pass);
        return Optional.empty();
      }
      return Optional.of(
          new Lease(
              pass.id,
              pass.epoch,
              (int) passes.lease.toSeconds(),
              kind.get().word(),
              pass.verify,
              given));
    } catch (SiteException e) {
      refused(pass, claimed.waitedSince, e);
      return Optional.empty();
    }
  }

  /**
   * Opens what a disk of a lease is written to; empty if the lease was lost meanwhile or a site
   * refused, and the pass is then offered again or failed.
   */
  Optional<LeaseOpened> openTarget(PassEntity pass, PassDisk disk) {
    try {
      LeaseOpened opened =
          DiskReaders.with(pass.reader, () -> passes.exports.openTarget(pass, disk));
      if (stillHeld(pass, passes.lease).isPresent()) {
        return Optional.of(opened);
      }
      passes.exports.revokeOwn(pass);
    } catch (SiteException e) {
      refused(pass, pass.stalledSince, e);
    }
    return Optional.empty();
  }

  /**
   * A site refused to open something.
   *
   * @param waitedSince since when the pass had got nowhere before it was tried
   */
  private void refused(PassEntity pass, Instant waitedSince, SiteException e) {
    passes.db.run(
        s -> {
          PassEntity p = s.find(PassEntity.class, pass.id, LockMode.PESSIMISTIC_WRITE);
          if (p.epoch == pass.epoch && p.state == PassState.LEASED) {
            if (e.code().equals(SiteException.IN_USE)) {
              // A holder before that was slow to open it, and will find that it lost its lease.
              passes.again(s, p, String.valueOf(e.getMessage()));
            } else if (e.code().equals(SiteException.BUSY)) {
              p.state = PassState.READY;
              p.notBefore = passes.clock.instant().plus(Bell.SECOND);
              p.stalledSince = waitedSince;
            } else if (e.kind() == SiteException.Kind.MAY_PASS) {
              // Offered again when this lease runs out, so that an absent site is not asked
              // without pause.
              p.problem = String.valueOf(e.getMessage());
            } else {
              p.state = PassState.FAILED;
              p.problemCode =
                  e.code().equals("snapshot-dropped") || e.code().equals("missing")
                      ? Passes.SOURCE_DROPPED
                      : e.code();
              p.problem = String.valueOf(e.getMessage());
            }
          }
        });
    passes.runs.wake(pass.runId);
  }

  /** How long a pass is its holder's while its exports are opened, which renews it. */
  private Duration opening() {
    return passes.lease.multipliedBy(OPENING);
  }

  /**
   * Renews the lease if nobody took it over while its exports were opened, and gives the pass's
   * kind: it compares if a marker was found lost meanwhile.
   */
  private Optional<PassKind> stillHeld(PassEntity pass, Duration until) {
    return passes.db.tx(
        s -> {
          PassEntity now = s.find(PassEntity.class, pass.id, LockMode.PESSIMISTIC_WRITE);
          if (now.state != PassState.LEASED || now.epoch != pass.epoch) {
            return Optional.empty();
          }
          now.leaseUntil = passes.clock.instant().plus(until);
          if (now.kind == PassKind.DELTA
              && Passes.disks(now).stream().anyMatch(d -> d.from().since().isEmpty())) {
            now.kind = PassKind.COMPARE;
          }
          return Optional.of(now.kind);
        });
  }
}
