package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseReport;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.sites.SiteException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.UnaryOperator;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * What tugs call: they take a pass that is offered, tell how far they are, and finish it or give it
 * up.
 */
public final class Leases {

  private final Passes passes;

  public Leases(Passes passes) {
    this.passes = passes;
  }

  /** Gives work, waiting for some to come. */
  public Optional<Lease> take(String tug, int waitSeconds) throws InterruptedException {
    Instant until = passes.clock.instant().plusSeconds(Math.min(waitSeconds, 20));
    while (true) {
      Optional<String> claimed = passes.db.tx(s -> claim(s, tug));
      if (claimed.isPresent()) {
        Optional<Lease> lease = open(claimed.get());
        if (lease.isPresent()) {
          return lease;
        }
      }
      long left = Duration.between(passes.clock.instant(), until).toMillis();
      if (left <= 0) {
        return Optional.empty();
      }
      synchronized (passes.bell) {
        // Another node may have offered something: look again each second even if nobody rings
        // here.
        passes.bell.wait(Math.min(left, 1000));
      }
    }
  }

  private Optional<String> claim(Session s, String tug) {
    List<?> ids =
        s.createNativeQuery(
                "select id from pass where state = 'ready' order by started_at limit 1 for update skip locked",
                Object.class)
            .getResultList();
    if (ids.isEmpty()) {
      return Optional.empty();
    }
    PassEntity pass = s.find(PassEntity.class, ids.get(0).toString());
    pass.state = PassState.LEASED;
    pass.tug = tug;
    pass.epoch++;
    pass.leaseUntil = passes.clock.instant().plus(passes.lease);
    return Optional.of(pass.id);
  }

  /**
   * Opens the exports of a claimed pass; empty if a site refused, and the pass is then offered
   * again or failed.
   */
  private Optional<Lease> open(String passId) {
    PassEntity pass = passes.db.tx(s -> s.find(PassEntity.class, passId));
    try {
      List<LeaseDisk> given = new ArrayList<>();
      for (PassDisk disk : Passes.disks(pass)) {
        if (!disk.finished()) {
          given.add(passes.exports.openDisk(pass, disk));
        }
      }
      boolean compare =
          Passes.disks(passes.db.tx(s -> s.find(PassEntity.class, passId))).stream()
                  .anyMatch(d -> d.since().isEmpty())
              && pass.kind == PassKind.DELTA;
      if (compare) {
        passes.db.run(s -> s.find(PassEntity.class, passId).kind = PassKind.COMPARE);
      }
      return Optional.of(
          new Lease(
              pass.id,
              pass.epoch,
              (int) passes.lease.toSeconds(),
              (compare ? PassKind.COMPARE : pass.kind).word(),
              pass.verify,
              given));
    } catch (SiteException e) {
      passes.db.run(
          s -> {
            PassEntity p = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
            if (p.epoch == pass.epoch && p.state == PassState.LEASED) {
              if (e.kind() == SiteException.Kind.MAY_PASS) {
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

  private PassEntity pass(String id) {
    return passes
        .db
        .tx(s -> Optional.ofNullable(s.find(PassEntity.class, id)))
        .orElseThrow(() -> ProblemException.missing("pass", id));
  }

  /** Runs a change under the lease's epoch. */
  private void held(
      String passId, long epoch, java.util.function.BiConsumer<Session, PassEntity> change) {
    passes.db.run(
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
          change.accept(s, p);
        });
  }

  private static void update(PassEntity p, int index, UnaryOperator<PassDisk> change) {
    List<PassDisk> disks = new ArrayList<>(Passes.disks(p));
    disks.replaceAll(d -> d.index() == index ? change.apply(d) : d);
    p.disks = Json.text(disks);
    p.total = disks.stream().mapToLong(PassDisk::total).sum();
    p.done = disks.stream().mapToLong(PassDisk::done).sum();
    p.read = disks.stream().mapToLong(PassDisk::read).sum();
    p.sent = disks.stream().mapToLong(PassDisk::sent).sum();
    p.zeroed = disks.stream().mapToLong(PassDisk::zeroed).sum();
  }

  public void report(String passId, LeaseReport r) {
    held(
        passId,
        r.epoch(),
        (s, p) -> {
          long before = p.done;
          update(
              p,
              r.disk(),
              d -> d.progress(r.total(), r.done(), r.read(), r.sent(), r.zeroed(), r.watermark()));
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
          PassDisk disk =
              Passes.disks(p).stream().filter(d -> d.index() == i.disk()).findFirst().orElseThrow();
          ReplicaEntity replica = s.find(ReplicaEntity.class, disk.replicaId());
          replica.intent = i.ranges();
          replica.anywhere = replica.anywhere || i.anywhere();
          replica.blank = false;
        });
  }

  /** The digest map that a disk's pass begins with. */
  public Optional<byte[]> digests(String passId, int index) {
    PassEntity pass = pass(passId);
    if (pass.digestPoint.isEmpty()) {
      return Optional.empty();
    }
    PassDisk disk =
        Passes.disks(pass).stream()
            .filter(d -> d.index() == index)
            .findFirst()
            .orElseThrow(() -> ProblemException.missing("disk", passId + "/" + index));
    return passes
        .sites
        .driver(pass.digestSiteId)
        .target()
        .attachment(pass.digestPoint, disk.digestFile());
  }

  public void putDigests(String passId, long epoch, int index, byte[] map) {
    held(
        passId,
        epoch,
        (s, p) ->
            s.createNativeMutationQuery(
                    "insert into pass_digests (pass_id, disk, map) values (?1, ?2, ?3) on conflict (pass_id, disk) do update set map = excluded.map")
                .setParameter(1, passId)
                .setParameter(2, index)
                .setParameter(3, map)
                .executeUpdate());
  }

  public void done(String passId, LeaseDone d) {
    String run = pass(passId).runId;
    held(
        passId,
        d.epoch(),
        (s, p) -> {
          update(
              p,
              d.disk(),
              x ->
                  x.finish(
                      d.total(), d.read(), d.sent(), d.zeroed(), d.differed(), d.rootDigest()));
          if (Passes.disks(p).stream().allMatch(PassDisk::finished)) {
            p.state = PassState.SHIPPED;
          }
        });
    passes.runs.wake(run);
  }

  public void failed(String passId, LeaseFailed f) {
    String run = pass(passId).runId;
    held(
        passId,
        f.epoch(),
        (s, p) -> {
          if (f.code().equals("may-pass")) {
            passes.again(s, p, f.message());
          } else {
            p.state = PassState.FAILED;
            p.problemCode = f.code();
            p.problem = f.message();
          }
        });
    passes.runs.wake(run);
  }
}
