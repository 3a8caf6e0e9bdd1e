package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseReport;
import bargelane.blocks.Ranges;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.function.BiConsumer;
import java.util.function.BiFunction;
import java.util.function.UnaryOperator;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * What tugs call: they take a pass that is offered, tell how far they are, and finish it or give it
 * up.
 */
public final class Leases {

  /** What says that the target has not kept what was written: the next pass compares all of it. */
  private static final Set<String> DOUBTFUL = Set.of("digests-malformed", "verify");

  /** The part of a lease in which exports are opened is so many times as long as a lease. */
  static final int OPENING = 3;

  private final Passes passes;

  public Leases(Passes passes) {
    this.passes = passes;
  }

  /** Gives work, waiting for some to come. */
  public Optional<Lease> take(String tug, int waitSeconds) throws InterruptedException {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(Math.min(waitSeconds, 20));
    long heard = passes.bell.now();
    boolean first = true;
    while (true) {
      // Another node may have offered something, or a pause be over: one of all who wait here looks
      // again each second.
      if (first || passes.bell.turn()) {
        Optional<Claimed> claimed = passes.db.tx(s -> claim(s, tug));
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

  private Optional<Claimed> claim(Session s, String tug) {
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
    pass.epoch++;
    pass.leaseUntil = passes.clock.instant().plus(opening());
    List<PassDisk> left = Passes.disks(pass).stream().filter(d -> !d.finished()).toList();
    passes.exports.record(s, pass, left);
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
  private static List<PointVolume> newest(Session s, PassEntity pass) {
    return Optional.ofNullable(pass.legId)
        .flatMap(leg -> TowState.newestPoint(s, s.find(LegEntity.class, leg)))
        .map(PointVolume::of)
        .orElse(List.of());
  }

  /** The root of a replica's digests if it is exactly as its newest point; empty otherwise. */
  private static String knownRoot(List<PointVolume> newest, ReplicaEntity r) {
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
   * Opens the exports of a claimed pass; empty if a site refused, and the pass is then offered
   * again or failed.
   */
  private Optional<Lease> open(Claimed claimed) {
    PassEntity pass = claimed.pass;
    String passId = pass.id;
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
            passes.exports.openDisk(
                pass,
                disk,
                Optional.ofNullable(claimed.replicas.get(disk.replicaId())),
                claimed.roots.getOrDefault(disk.replicaId(), "")));
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
      passes.db.run(
          s -> {
            PassEntity p = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
            if (p.epoch == pass.epoch && p.state == PassState.LEASED) {
              if (e.code().equals(SiteException.IN_USE)) {
                // A holder before that was slow to open it, and will find that it lost its lease.
                passes.again(s, p, String.valueOf(e.getMessage()));
              } else if (e.code().equals(SiteException.BUSY)) {
                p.state = PassState.READY;
                p.notBefore = passes.clock.instant().plus(Bell.SECOND);
                p.stalledSince = claimed.waitedSince;
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
      return Optional.empty();
    }
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

  /** Runs a change under the lease's epoch. */
  private void held(String passId, long epoch, BiConsumer<Session, PassEntity> change) {
    ask(
        passId,
        epoch,
        (s, p) -> {
          change.accept(s, p);
          return p;
        });
  }

  /** Renews a lease, and asks something under its epoch. */
  private <T> T ask(String passId, long epoch, BiFunction<Session, PassEntity, T> what) {
    return passes.db.tx(
        s -> {
          PassEntity p = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
          if (p == null) {
            throw ProblemException.missing("pass", passId);
          }
          if (p.state != PassState.LEASED || p.epoch != epoch) {
            throw ProblemException.conflict(
                "lease-lost",
                "the lease of pass "
                    + passId
                    + " under epoch "
                    + epoch
                    + " is over: the pass is "
                    + p.state.word()
                    + " under epoch "
                    + p.epoch,
                "take new work");
          }
          p.leaseUntil = passes.clock.instant().plus(passes.lease);
          return what.apply(s, p);
        });
  }

  private static PassDisk leased(PassEntity p, int index) {
    return Passes.disks(p).stream()
        .filter(d -> d.index() == index)
        .findFirst()
        .orElseThrow(
            () -> untrue(p, "disk " + index + " is not one of the disks that the lease is for"));
  }

  private static ProblemException untrue(PassEntity p, String what) {
    return ProblemException.invalid(
        "report-impossible",
        "pass " + p.id + " is told something that can't be: " + what,
        "look at the tug; what it says is not taken over");
  }

  /** Refuses figures that don't fit each other or the disk. */
  private static void check(
      PassEntity p, PassDisk disk, long total, long done, long sent, long zeroed, long watermark) {
    String of = "disk " + disk.index() + " of " + disk.bytes() + " bytes: ";
    if (total < 0 || total > disk.bytes()) {
      throw untrue(p, of + total + " bytes to look at");
    }
    if (done < 0 || done > total) {
      throw untrue(p, of + done + " bytes looked at of " + total);
    }
    if (sent < 0 || zeroed < 0 || sent > total || zeroed > total - sent) {
      throw untrue(p, of + sent + " sent and " + zeroed + " zeroed, of " + total);
    }
    if (watermark < 0 || watermark > disk.bytes()) {
      throw untrue(p, of + "a watermark at " + watermark);
    }
    if ((watermark > disk.progress().watermark() || sent > 0 || zeroed > 0)
        && disk.to() != null
        && !disk.intended()) {
      throw untrue(p, of + "work done before it was said what may be written");
    }
  }

  private static void update(PassEntity p, int index, UnaryOperator<PassDisk> change) {
    List<PassDisk> disks = new ArrayList<>(Passes.disks(p));
    disks.replaceAll(d -> d.index() == index ? change.apply(d) : d);
    p.disks = Json.text(disks);
    p.total = disks.stream().mapToLong(d -> d.progress().total()).sum();
    p.done = disks.stream().mapToLong(d -> d.progress().done()).sum();
    p.read = disks.stream().mapToLong(d -> d.progress().read()).sum();
    p.sent = disks.stream().mapToLong(d -> d.progress().sent()).sum();
    p.zeroed = disks.stream().mapToLong(d -> d.progress().zeroed()).sum();
  }

  public void report(String passId, LeaseReport r) {
    held(
        passId,
        r.epoch(),
        (s, p) -> {
          long before = p.done;
          PassDisk disk = leased(p, r.disk());
          if (disk.finished()) {
            // Said before the tug heard that the disk is done.
            return;
          }
          check(p, disk, r.total(), r.done(), r.sent(), r.zeroed(), r.watermark());
          if (r.watermark() > disk.progress().watermark() || r.done() > disk.progress().done()) {
            p.stalledSince = null;
            p.attempts = 0;
          }
          update(
              p,
              r.disk(),
              d ->
                  d.with(
                      new PassDisk.Progress(
                          r.total(), r.done(), r.read(), r.sent(), r.zeroed(), r.watermark())));
          if (p.done != before) {
            passes.events.tell(
                s,
                "progress",
                p.towId,
                p.runId,
                "pass " + p.number,
                java.util.Map.of("pass", p.id, "done", p.done, "total", p.total, "sent", p.sent));
          }
        });
  }

  /** Stores the write-intent set of a disk before its first write. */
  public void intent(String passId, LeaseIntent i) {
    held(
        passId,
        i.epoch(),
        (s, p) -> {
          PassDisk disk = leased(p, i.disk());
          if (disk.finished()) {
            throw untrue(p, "disk " + disk.index() + " is done");
          }
          ranges(p, disk, i.ranges());
          update(p, i.disk(), PassDisk::withIntent);
          ReplicaEntity replica = s.find(ReplicaEntity.class, disk.replicaId());
          replica.intent = i.ranges();
          replica.anywhere = replica.anywhere || i.anywhere();
          replica.blank = false;
        });
  }

  /** Refuses ranges that are none, or lie outside of the disk. */
  private static void ranges(PassEntity p, PassDisk disk, String told) {
    try {
      if (Ranges.parse(told).list().stream().anyMatch(r -> r.end() > disk.bytes())) {
        throw untrue(p, "ranges behind the end of disk " + disk.index());
      }
    } catch (IllegalArgumentException e) {
      throw untrue(p, e.getMessage());
    }
  }

  /** A disk is finished, with the digests that the target holds of it by its own account. */
  public void done(String passId, LeaseDone d) {
    Optional<PassEntity> unread =
        ask(
            passId,
            d.epoch(),
            (s, p) -> {
              PassDisk disk = leased(p, d.disk());
              if (disk.to() == null || disk.finished() || unchanged(s, p, disk, d)) {
                finish(s, p, disk, d, d.rootDigest());
                return Optional.empty();
              }
              return Optional.of(p);
            });
    if (unread.isPresent()) {
      PassDisk disk = leased(unread.get(), d.disk());
      String root = root(unread.get(), disk);
      held(passId, d.epoch(), (s, p) -> finish(s, p, leased(p, d.disk()), d, root));
    }
    passes.runs.look();
  }

  /** Whether nothing was to be done on a disk, whose replica is as its newest point is. */
  private static boolean unchanged(Session s, PassEntity p, PassDisk disk, LeaseDone d) {
    return d.total() == 0
        && d.sent() == 0
        && !disk.intended()
        && !d.rootDigest().isEmpty()
        && d.rootDigest()
            .equals(knownRoot(newest(s, p), s.find(ReplicaEntity.class, disk.replicaId())));
  }

  private void finish(Session s, PassEntity p, PassDisk disk, LeaseDone d, String root) {
    if (disk.finished() && disk.root().equals(d.rootDigest())) {
      // Said again, since the answer was lost.
      return;
    }
    if (disk.finished()) {
      throw untrue(p, "disk " + disk.index() + " is done with another digest");
    }
    check(p, disk, d.total(), d.total(), d.sent(), d.zeroed(), 0);
    ranges(p, disk, d.differed());
    if (!root.equals(d.rootDigest()) || disk.to() == null && !root.isEmpty()) {
      throw untrue(
          p,
          "disk "
              + disk.index()
              + " is done with digest "
              + d.rootDigest()
              + ", and the target holds "
              + root);
    }
    update(
        p,
        d.disk(),
        x ->
            x.finish(
                new PassDisk.Progress(
                    d.total(), d.total(), d.read(), d.sent(), d.zeroed(), x.bytes()),
                d.differed(),
                d.rootDigest(),
                d.readBack()));
    if (Passes.disks(p).stream().allMatch(PassDisk::finished)) {
      p.state = PassState.SHIPPED;
      passes.runs.wake(s, p.runId);
    }
  }

  /** The root of a disk's digests by the target's own account. */
  private String root(PassEntity pass, PassDisk disk) {
    try {
      return passes.exports.digestRoot(pass, disk);
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "digests-unread",
          "the digests of disk " + disk.index() + " can't be read at the target: " + e.getMessage(),
          e);
    }
  }

  public void failed(String passId, LeaseFailed f) {
    held(
        passId,
        f.epoch(),
        (s, p) -> {
          passes.runs.wake(s, p.runId);
          if (f.code().equals("may-pass")) {
            passes.again(s, p, f.message());
          } else {
            p.state = PassState.FAILED;
            p.problemCode = f.code();
            p.problem = f.message();
            if (DOUBTFUL.contains(f.code())) {
              Passes.disks(p).stream()
                  .filter(d -> d.to() != null && !d.finished())
                  .forEach(d -> s.find(ReplicaEntity.class, d.replicaId()).anywhere = true);
            }
          }
        });
    passes.runs.look();
  }
}
