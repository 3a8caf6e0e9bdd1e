package bargelane.service.replication;

import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.replication.Verification;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Runs;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.text.Sizes;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * The desk where tugs get passes. A pass is offered, leased under an epoch, renewed by its reports,
 * and shipped. A lease that runs out is offered again under the next epoch: the exports of the tug
 * that held it before are revoked, new ones are opened under names that carry the epoch, and
 * whatever the former holder still says is refused.
 */
public final class Passes {

  /** Deletes the passes of old runs, and adds them to the sums of their days. */
  public static final String TIDY =
      "with gone as (delete from pass where ended_at is not null and run_id in "
          + Runs.OLD
          + " returning "
          + PassDays.OF_PASS
          + ") insert into pass_day select "
          + PassDays.SUMS
          + " from gone group by tow_id, day on conflict (tow_id, day) do update set"
          + " passes = pass_day.passes + excluded.passes, failed = pass_day.failed + excluded.failed,"
          + " bytes_read = pass_day.bytes_read + excluded.bytes_read,"
          + " bytes_sent = pass_day.bytes_sent + excluded.bytes_sent,"
          + " work_ms = pass_day.work_ms + excluded.work_ms,"
          + " exposure_ms = greatest(pass_day.exposure_ms, excluded.exposure_ms),"
          + " over_rpo_ms = pass_day.over_rpo_ms + excluded.over_rpo_ms";

  private static final String NO_SPACE = "no-space";
  private static final String NO_TUG = "no-tug";
  static final String SOURCE_DROPPED = "source-dropped";

  /** How long a pass may get nowhere before it is given up; the timetable begins another. */
  private static final Duration PATIENCE = Duration.ofSeconds(60);

  /** Passes of a lane that no tug has at a time, but for those that moves wait for. */
  static final int MOST_WAITING = 16;

  /** The longest time between two attempts at a pass. */
  static final Duration LONGEST_PAUSE = Duration.ofSeconds(8);

  private static final TypeReference<List<PassDisk>> DISKS = new TypeReference<>() {};

  final Db db;
  final Sites sites;
  final PassExports exports;
  final Events events;
  final RunEngine runs;
  final Duration lease;
  final Clock clock;
  final Bell bell = new Bell();

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
    events.onOffer(bell::ring);
  }

  public static List<PassDisk> disks(PassEntity pass) {
    return Json.read(pass.disks, DISKS);
  }

  /** How what a shipped pass wrote was verified. */
  static Verification verification(PassEntity pass) {
    if (!pass.verify) {
      return Verification.NONE;
    }
    return disks(pass).stream().anyMatch(PassDisk::readBack)
        ? Verification.READ_BACK
        : Verification.AT_TARGET;
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
    pass.disks = "[]";
    pass.problem = "";
    pass.problemCode = "";
    s.persist(pass);
    return pass;
  }

  /**
   * Whether so many passes of a tow's lane are on their way and not with a tug that another one is
   * not begun: its snapshot would only grow old, and take room at the source. Other lanes don't
   * count, or one silent site would hold up all of them.
   */
  static boolean crowded(Session s, String towId) {
    return Db.query(
                s,
                String.class,
                "select p.id from PassEntity p join TowEntity t on t.id = p.towId"
                    + " where p.endedAt is null and p.state <> ?1"
                    + " and t.laneId = (select laneId from TowEntity where id = ?2)",
                PassState.LEASED,
                towId)
            .setMaxResults(MOST_WAITING)
            .getResultList()
            .size()
        >= MOST_WAITING;
  }

  /** When to look again whether passes are through; not the same for all that wait. */
  static Duration later() {
    return Duration.ofMillis(4000 + ThreadLocalRandom.current().nextLong(8000));
  }

  /** Offers a prepared pass to tugs. Offering it again does nothing. */
  public void offer(String passId, Consumer<PassEntity> fill) {
    db.run(s -> offer(s, passId, fill));
  }

  /** The same in the caller's transaction; tugs hear of it once that is committed. */
  public void offer(Session s, String passId, Consumer<PassEntity> fill) {
    PassEntity pass = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
    if (pass.state == PassState.PREPARED) {
      fill.accept(pass);
      pass.state = PassState.READY;
      pass.stalledSince = clock.instant();
      events.offered(s);
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
              if (p.state == PassState.READY && p.urgent && p.attempts == 0) {
                nobodyTakes(p);
              }
              return p;
            });
    if (pass.state == PassState.READY) {
      bell.ring();
    }
    return switch (pass.state) {
      // Complete where whoever drives again finds it closed already.
      case SHIPPED, COMPLETE -> Outcome.done(told(pass));
      case FAILED -> throw new RunFailure(pass.problemCode, pass.problem, remedy(pass.problemCode));
      default ->
          Outcome.waitFor(
              pass.state == PassState.READY
                  ? "waiting for a tug" + (pass.problem.isEmpty() ? "" : " after: " + pass.problem)
                  : "on tug " + pass.tug);
    };
  }

  /** Machines are down for it, or soon will be: they come up again where they were. */
  private void nobodyTakes(PassEntity p) {
    Instant now = clock.instant();
    if (p.stalledSince.isAfter(now)) {
      p.stalledSince = now;
    }
    if (Duration.between(p.stalledSince, now).compareTo(PATIENCE) >= 0) {
      p.state = PassState.FAILED;
      p.problemCode = NO_TUG;
      p.problem = "no tug took pass " + p.number + " for " + PATIENCE.toSeconds() + " s";
    }
  }

  private static String remedy(String code) {
    return switch (code) {
      case NO_TUG -> "start a tug, or wait until one is free: `bargelane tug list`";
      case NO_SPACE -> "make room at the target; the next pass goes on from here";
      case "digests-malformed", "verify" ->
          "the next pass compares all of these disks with the source and mends them; look at the target's storage";
      case "disk-grown" -> "the next pass lets the replica grow first";
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

  /**
   * Offers a pass again whose lease was given up or lost, after a pause that grows while it gets
   * nowhere; gives it up after too long without progress.
   */
  void again(Session s, PassEntity p, String why) {
    Instant now = clock.instant();
    p.attempts++;
    p.problem = why;
    if (p.stalledSince == null || p.stalledSince.isAfter(now)) {
      p.stalledSince = now;
    }
    long most = Math.min(LONGEST_PAUSE.toMillis(), 250L << Math.min(p.attempts, 5));
    p.notBefore = now.plusMillis(most / 2 + ThreadLocalRandom.current().nextLong(most / 2 + 1));
    p.state = PassState.READY;
    if (Duration.between(p.stalledSince, now).compareTo(PATIENCE) >= 0) {
      p.state = PassState.FAILED;
      p.problemCode = "gave-up";
      p.problem = "after " + p.attempts + " attempts without progress: " + why;
    }
    events.tell(s, "pass", p.towId, p.runId, "pass " + p.number + ": " + why, null);
  }

  /**
   * Copies digests from one site to another, onto a volume that is blank or holds a part of the
   * same copy; through exports of names that begin with {@code name}.
   *
   * @param over whether the volume is in use already, and is not to be written any more
   */
  public void copyDigests(
      String towId, String name, PassDisk.Digests from, PassDisk.Digests to, BooleanSupplier over) {
    exports.copyDigests(towId, name, from, to, over);
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
  public static void close(PassEntity pass, PassState state, Instant now) {
    pass.state = state;
    pass.endedAt = now;
    if (state == PassState.COMPLETE) {
      // What it was tried again for is over; the events tell of it.
      pass.problem = "";
      pass.problemCode = "";
    }
  }
}
