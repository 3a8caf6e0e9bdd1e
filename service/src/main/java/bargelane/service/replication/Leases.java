package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.Ranges;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
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

  private final Passes passes;
  private final LeaseClaims claims;

  public Leases(Passes passes) {
    this.passes = passes;
    this.claims = new LeaseClaims(passes);
  }

  /** Gives work, waiting for some to come. */
  public Optional<Lease> take(String tug, int waitSeconds) throws InterruptedException {
    return take(tug, "", waitSeconds);
  }

  /**
   * The same.
   *
   * @param reader the fingerprint of the certificate that the tug shows to disk servers; empty if
   *     it does not tell
   */
  public Optional<Lease> take(String tug, String reader, int waitSeconds)
      throws InterruptedException {
    return claims.take(tug, reader, waitSeconds);
  }

  /** Whether a pass was last given to a tug of that name. */
  public boolean isOf(String passId, String tug) {
    return passes.db.tx(
        s ->
            Optional.ofNullable(s.find(PassEntity.class, passId))
                .filter(p -> tug.equals(p.tug))
                .isPresent());
  }

  /** Opens what a disk is written to, which a tug asks for once there is something to write. */
  public LeaseOpened open(String passId, LeaseOpen o) {
    PassEntity pass =
        ask(
            passId,
            o.epoch(),
            (s, p) -> {
              PassDisk disk = leased(p, o.disk());
              if (disk.finished()) {
                throw untrue(p, "disk " + disk.index() + " is done");
              }
              passes.exports.recordTarget(s, p, disk);
              return p;
            });
    return claims.openTarget(pass, leased(pass, o.disk())).orElseThrow(() -> lost(pass, o.epoch()));
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
            throw lost(p, epoch);
          }
          p.leaseUntil = passes.clock.instant().plus(passes.lease);
          return what.apply(s, p);
        });
  }

  private static ProblemException lost(PassEntity p, long epoch) {
    return ProblemException.conflict(
        "lease-lost",
        "the lease of pass "
            + p.id
            + " under epoch "
            + epoch
            + " is over: the pass is "
            + p.state.word()
            + " under epoch "
            + p.epoch,
        "take new work");
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
            .equals(
                LeaseClaims.knownRoot(
                    LeaseClaims.newest(s, p), s.find(ReplicaEntity.class, disk.replicaId())));
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
