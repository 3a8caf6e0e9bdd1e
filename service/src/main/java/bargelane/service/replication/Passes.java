package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseReport;
import bargelane.api.Sizes;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.SiteException;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.UnaryOperator;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * The desk where tugs get passes. A pass is offered, leased under an epoch, renewed by its reports,
 * and shipped. A lease that runs out is offered again under the next epoch: its exports are opened
 * anew under the same names, which revokes those of the tug that held it before, and whatever that
 * one still says is refused.
 */
public final class Passes {

  private static final String NO_SPACE = "no-space";
  private static final String SOURCE_DROPPED = "source-dropped";

  private static final int MOST_ATTEMPTS = 6;
  private static final TypeReference<List<PassDisk>> DISKS = new TypeReference<>() {};

  private final Db db;
  private final Sites sites;
  private final PassExports exports;
  private final Events events;
  private final RunEngine runs;
  private final Duration lease;
  private final Clock clock;
  private final Object bell = new Object();

  /**
   * @param lease how long a lease lasts without a report
   */
  public Passes(
      Db db,
      Sites sites,
      Ledger ledger,
      Events events,
      RunEngine runs,
      Duration lease,
      Clock clock) {
    this.db = db;
    this.sites = sites;
    this.exports = new PassExports(db, sites, ledger, events);
    this.events = events;
    this.runs = runs;
    this.lease = lease;
    this.clock = clock;
  }

  public static List<PassDisk> disks(PassEntity pass) {
    return Json.read(pass.disks, DISKS);
  }

  /**
   * One disk of a survey: nothing is written, and where changes are tracked only those are looked
   * at.
   */
  public static PassDisk surveyDisk(
      int index,
      String memberId,
      String machine,
      int disk,
      String site,
      String volume,
      String snapshot,
      String since,
      long bytes) {
    return PassDisk.fresh(
        index, memberId, machine, disk, "", site, volume, snapshot, since, "", "", bytes, "",
        false);
  }

  /**
   * Records a pass that is not offered yet. A leg has one open pass; the database refuses another.
   */
  public static PassEntity create(
      Session s,
      Clock clock,
      String runId,
      String towId,
      String legId,
      int number,
      PassKind kind,
      boolean verify) {
    PassEntity pass = new PassEntity();
    pass.id = Ids.next("pass");
    pass.runId = runId;
    pass.towId = towId;
    pass.legId = legId;
    pass.number = number;
    pass.kind = kind;
    pass.state = PassState.PREPARED;
    pass.startedAt = clock.instant();
    pass.tug = "";
    pass.verify = verify;
    pass.digestSiteId = "";
    pass.digestPoint = "";
    pass.disks = "[]";
    pass.problem = "";
    pass.problemCode = "";
    s.persist(pass);
    return pass;
  }

  /** Offers a prepared pass to tugs. Offering it again does nothing. */
  public void offer(String passId, java.util.function.Consumer<PassEntity> fill) {
    db.run(
        s -> {
          PassEntity pass = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
          if (pass.state == PassState.PREPARED) {
            fill.accept(pass);
            pass.state = PassState.READY;
          }
        });
    ring();
  }

  private void ring() {
    synchronized (bell) {
      bell.notifyAll();
    }
  }

  /** Waits for an offered pass to be shipped; sees to leases that ran out. */
  public Outcome shipped(String passId) {
    PassEntity pass =
        db.tx(
            s -> {
              PassEntity p = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
              if (p.state == PassState.LEASED && p.leaseUntil.isBefore(clock.instant())) {
                again(s, p, "tug " + p.tug + " has not reported for " + lease.toSeconds() + " s");
              }
              return p;
            });
    if (pass.state == PassState.READY) {
      ring();
    }
    return switch (pass.state) {
      case SHIPPED -> Outcome.done(told(pass));
      case FAILED -> throw new RunFailure(pass.problemCode, pass.problem, remedy(pass.problemCode));
      default ->
          Outcome.waitFor(
              pass.state == PassState.READY
                  ? "waiting for a tug" + (pass.problem.isEmpty() ? "" : " after: " + pass.problem)
                  : "on tug " + pass.tug);
    };
  }

  private static String remedy(String code) {
    return switch (code) {
      case NO_SPACE -> "make room at the target; the next pass goes on from here";
      case SOURCE_DROPPED ->
          "give snapshots at the source more scratch room, or pass more often; the next pass begins a new one";
      default -> "the next pass tries again";
    };
  }

  private static String told(PassEntity p) {
    return Sizes.text(p.sent)
        + " sent, "
        + Sizes.text(p.zeroed)
        + " zeroed, of "
        + Sizes.text(p.total)
        + " looked at";
  }

  private void again(Session s, PassEntity p, String why) {
    p.attempts++;
    p.problem = why;
    p.state = p.attempts >= MOST_ATTEMPTS ? PassState.FAILED : PassState.READY;
    if (p.state == PassState.FAILED) {
      p.problemCode = "gave-up";
      p.problem = "after " + p.attempts + " attempts: " + why;
    }
    events.tell(s, "pass", p.towId, p.runId, "pass " + p.number + ": " + why, null);
  }

  // ---- what tugs call

  /** Gives work, waiting for some to come. */
  public Optional<Lease> take(String tug, int waitSeconds) throws InterruptedException {
    Instant until = clock.instant().plusSeconds(Math.min(waitSeconds, 20));
    while (true) {
      Optional<String> claimed = db.tx(s -> claim(s, tug));
      if (claimed.isPresent()) {
        Optional<Lease> lease = open(claimed.get());
        if (lease.isPresent()) {
          return lease;
        }
      }
      long left = Duration.between(clock.instant(), until).toMillis();
      if (left <= 0) {
        return Optional.empty();
      }
      synchronized (bell) {
        // Another node may have offered something: look again each second even if nobody rings
        // here.
        bell.wait(Math.min(left, 1000));
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
    pass.leaseUntil = clock.instant().plus(lease);
    return Optional.of(pass.id);
  }

  /**
   * Opens the exports of a claimed pass; empty if a site refused, and the pass is then offered
   * again or failed.
   */
  private Optional<Lease> open(String passId) {
    PassEntity pass = db.tx(s -> s.find(PassEntity.class, passId));
    try {
      List<LeaseDisk> given = new ArrayList<>();
      for (PassDisk disk : disks(pass)) {
        if (!disk.finished()) {
          given.add(exports.openDisk(pass, disk));
        }
      }
      boolean compare =
          disks(db.tx(s -> s.find(PassEntity.class, passId))).stream()
                  .anyMatch(d -> d.since().isEmpty())
              && pass.kind == PassKind.DELTA;
      if (compare) {
        db.run(s -> s.find(PassEntity.class, passId).kind = PassKind.COMPARE);
      }
      return Optional.of(
          new Lease(
              pass.id,
              pass.epoch,
              (int) lease.toSeconds(),
              (compare ? PassKind.COMPARE : pass.kind).word(),
              pass.verify,
              given));
    } catch (SiteException e) {
      db.run(
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
                        ? SOURCE_DROPPED
                        : e.code();
                p.problem = String.valueOf(e.getMessage());
              }
            }
          });
      runs.wake(pass.runId);
      return Optional.empty();
    }
  }

  private PassEntity pass(String id) {
    return db.tx(s -> Optional.ofNullable(s.find(PassEntity.class, id)))
        .orElseThrow(() -> ProblemException.missing("pass", id));
  }

  /** Runs a change under the lease's epoch. */
  private void held(
      String passId, long epoch, java.util.function.BiConsumer<Session, PassEntity> change) {
    db.run(
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
          p.leaseUntil = clock.instant().plus(lease);
          change.accept(s, p);
        });
  }

  private static void update(PassEntity p, int index, UnaryOperator<PassDisk> change) {
    List<PassDisk> disks = new ArrayList<>(disks(p));
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
            events.tell(
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
              disks(p).stream().filter(d -> d.index() == i.disk()).findFirst().orElseThrow();
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
        disks(pass).stream()
            .filter(d -> d.index() == index)
            .findFirst()
            .orElseThrow(() -> ProblemException.missing("disk", passId + "/" + index));
    return sites.driver(pass.digestSiteId).target().attachment(pass.digestPoint, disk.digestFile());
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

  /** The digest map that a shipped disk ended with. */
  public byte[] shippedDigests(String passId, int index) {
    return db.tx(
        s ->
            (byte[])
                s.createNativeQuery(
                        "select map from pass_digests where pass_id = ?1 and disk = ?2",
                        byte[].class)
                    .setParameter(1, passId)
                    .setParameter(2, index)
                    .getSingleResult());
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
          if (disks(p).stream().allMatch(PassDisk::finished)) {
            p.state = PassState.SHIPPED;
          }
        });
    runs.wake(run);
  }

  public void failed(String passId, LeaseFailed f) {
    String run = pass(passId).runId;
    held(
        passId,
        f.epoch(),
        (s, p) -> {
          if (f.code().equals("may-pass")) {
            again(s, p, f.message());
          } else {
            p.state = PassState.FAILED;
            p.problemCode = f.code();
            p.problem = f.message();
          }
        });
    runs.wake(run);
  }

  /** Revokes every export of a pass: when this returns nobody reads or writes through it. */
  public void seal(String passId) {
    exports.seal(passId);
  }

  /**
   * Ends a pass that is given up: no tug may go on, its exports go as soon as their sites allow.
   */
  public void abandon(String passId, String code, String problem) {
    PassEntity pass =
        db.tx(
            s -> {
              PassEntity p = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
              if (p.endedAt == null) {
                p.epoch++;
                p.state = PassState.FAILED;
                p.problemCode = code;
                p.problem = problem;
              }
              return p;
            });
    exports.revokeLater(pass);
  }

  /** Closes a pass's record. */
  public static void close(Session s, PassEntity pass, PassState state, Instant now) {
    pass.state = state;
    pass.endedAt = now;
    if (state == PassState.COMPLETE) {
      // What it was tried again for is over; the events tell of it.
      pass.problem = "";
      pass.problemCode = "";
    }
    s.createNativeMutationQuery("delete from pass_digests where pass_id = ?1")
        .setParameter(1, pass.id)
        .executeUpdate();
  }
}
