package bargelane.service.replication;

import bargelane.api.Problem;
import bargelane.core.point.Retention;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.replication.Verification;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.service.site.Ledger.Thing;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.text.Sizes;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * One pass over a tow: snapshot, ship, revoke, freeze, record, and only then let the marker
 * advance. The as-of of its point is the service's clock just before the snapshot was asked for.
 */
public final class PassRun implements RunKind {

  /** The name of this kind of run. */
  public static final String KIND = "pass";

  private final Services services;
  private final PassSnapshot snapshots;

  public PassRun(Services services) {
    this.services = services;
    this.snapshots = new PassSnapshot(services);
  }

  @Override
  public String name() {
    return KIND;
  }

  @Override
  public boolean routine() {
    return true;
  }

  @Override
  public Duration patience() {
    return Duration.ofSeconds(15);
  }

  /** Begins a pass on a leg in the caller's transaction. */
  public static String start(Session s, RunEngine runs, TowEntity tow, String legId, String by) {
    return start(s, runs, tow, legId, new For(null, false), by);
  }

  /**
   * What a pass is made for.
   *
   * @param runId the run that waits for it; null for none
   * @param move whether machines are down for it, or soon will be: it goes before others
   */
  public record For(String runId, boolean move) {}

  /** Begins a pass that another run waits for, in the caller's transaction. */
  public static String start(
      Session s, RunEngine runs, TowEntity tow, String legId, For what, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            KIND,
            "Pass",
            TowState.subject(tow),
            what.runId,
            Map.of("leg", legId, "urgent", what.move),
            List.of(),
            by));
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("snapshot", "Take the disks at one instant", snapshots::take),
        new Step("ship", "Ship what differs", w -> services.passes().shipped(passId(w))),
        new Step("record", "Freeze and record the point", this::record),
        new Step("tidy", "Let the marker advance", this::tidy));
  }

  @Override
  public List<Step> backOut(Work work) {
    return List.of(
        new Step("abandon", "Revoke the exports", this::abandon),
        new Step("release", "Remove the snapshot and its marker", this::release));
  }

  static String passId(Work w) {
    return w.need(PassNotes.PASS);
  }

  static String snapshotName(String passId) {
    return "bl-" + passId;
  }

  private static String pointName(String passId) {
    return "bl-" + passId + "-point";
  }

  /** Whether a move waits for it. */
  static boolean urgent(Work w) {
    return w.input().path("urgent").asBoolean();
  }

  private static LegEntity leg(Session s, Work w) {
    return s.find(LegEntity.class, w.input().path("leg").asText());
  }

  /** What freezing looks at, and the exports that are to be revoked before it. */
  private record Loaded(
      PassEntity pass,
      TowState state,
      LegEntity leg,
      Manifest.Shores shores,
      Verification verification,
      Ledger.Claimed exports) {}

  /**
   * Revokes the exports, so that nobody writes any more, freezes the point with its manifest, and
   * records it. Point, marker and replicas change in one transaction, and with them it is noted
   * what nobody needs any more.
   */
  private Outcome record(Work w) {
    Loaded loaded =
        services
            .db()
            .tx(
                s -> {
                  PassEntity pass = s.find(PassEntity.class, passId(w));
                  LegEntity leg = leg(s, w);
                  TowState state = TowState.load(s, w.subjectId());
                  return new Loaded(
                      pass,
                      state,
                      leg,
                      Manifest.Shores.of(s, state),
                      verification(s, pass, leg),
                      services.passes().exports.dropped(s, pass));
                });
    PassEntity pass = loaded.pass;
    services.passes().exports.revoke(loaded.exports);
    List<PassDisk> disks = Passes.disks(pass);
    String site = disks.get(0).to().site();
    Target target = services.sites().driver(site).target();
    String name = pointName(pass.id);
    String owner = services.ledger().plan(site, w.subjectId(), "point", name);
    target.freeze(
        name,
        owner,
        disks.stream().flatMap(d -> Stream.of(d.to().volume(), d.digests().volume())).toList());
    services.custody().take(target, name);
    target.attach(name, Manifest.FILE, manifest(w, loaded, disks));
    int number = loaded.state.tow.points + 1;
    return Outcome.commit(s -> recorded(s, w, number));
  }

  private static byte[] manifest(Work w, Loaded loaded, List<PassDisk> disks) {
    LegEntity leg = loaded.leg;
    PassEntity pass = loaded.pass;
    return Manifest.of(
        loaded.state,
        loaded.shores,
        new Manifest.Leg(leg.id, leg.number, leg.direction.word(), snapshotName(pass.id)),
        new Manifest.Moment(
            loaded.state.tow.points + 1,
            w.epoch(),
            pass.asOf,
            w.need(PassNotes.ONE_INSTANT),
            w.need(PassNotes.SPREAD_MS),
            consistency(w),
            pass.id,
            Optional.of(pass.kind),
            loaded.verification,
            pass.sent),
        m ->
            disks.stream()
                .filter(d -> d.memberId().equals(m.id))
                .map(
                    d ->
                        new Manifest.Disk(
                            d.disk(),
                            d.to().volume(),
                            d.bytes(),
                            d.root(),
                            d.digests().volume(),
                            d.to().volume(),
                            d.digests().volume(),
                            replica(loaded.state, d).map(r -> r.storage).orElse(""),
                            replica(loaded.state, d)
                                .map(r -> r.key)
                                .filter(k -> !k.isEmpty())
                                .orElse(null)))
                .toList());
  }

  private static Optional<ReplicaEntity> replica(TowState state, PassDisk disk) {
    return state.replicas.stream().filter(r -> r.id.equals(disk.replicaId())).findFirst();
  }

  private static String consistency(Work w) {
    return w.get(PassNotes.CONSISTENCY).orElse("crash-consistent");
  }

  /**
   * @param number that the manifest tells of the point
   */
  private String recorded(Session s, Work w, int number) {
    PassEntity pass = s.find(PassEntity.class, passId(w), LockMode.PESSIMISTIC_WRITE);
    LegEntity leg =
        s.find(LegEntity.class, w.input().path("leg").asText(), LockMode.PESSIMISTIC_WRITE);
    if (pass.endedAt != null) {
      // A version that recorded the point before the step's end has done so.
      return "";
    }
    String former = leg.marker;
    PointEntity point =
        point(
            s,
            pass,
            leg,
            w.need(PassNotes.ONE_INSTANT),
            w.need(PassNotes.SPREAD_MS),
            consistency(w));
    if (point.number != number) {
      // The manifest is written again, with the number that is next now.
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "changed-meanwhile",
          "another point was recorded meanwhile",
          null);
    }
    TowState state = TowState.load(s, w.subjectId());
    Instant now = services.clock().instant();
    TowState.newestPoint(s, leg)
        .ifPresent(
            newest -> {
              long exposure = Math.max(0, Duration.between(newest.asOf, now).toMillis());
              pass.exposureMs = exposure;
              pass.overRpoMs = Math.max(0, exposure - state.timetable.rpoSeconds * 1000L);
            });
    s.persist(point);
    leg.marker = snapshotName(pass.id);
    leg.pointId = point.id;
    // What was in doubt has been compared with the source.
    leg.scrubFound = "";
    Db.change(
        s,
        "update ReplicaEntity set intent = '', anywhere = false, blank = false where legId = ?1",
        leg.id);
    Passes.close(pass, PassState.COMPLETE, now);
    w.leave(PassNotes.OVER, dropped(s, over(s, w, state, leg, former)));
    services
        .events()
        .tell(
            s,
            "point",
            w.subjectId(),
            w.runId(),
            state.tow.name
                + ": recovery point "
                + point.number
                + ", "
                + Sizes.text(pass.sent)
                + " sent",
            Map.of("point", point.id, "asOf", point.asOf.toString()));
    // A pass that took longer than its period: the next one is due.
    TimetableTask.watch(s, leg.id, pass.startedAt.plusSeconds(state.timetable.everySeconds));
    return "point " + point.number;
  }

  /**
   * How what a point holds was verified. A pass that wrote nothing verified nothing: what is there
   * was verified as it was for the point before.
   */
  private static Verification verification(Session s, PassEntity pass, LegEntity leg) {
    return TowState.newestPoint(s, leg)
        .filter(p -> pass.kind == PassKind.DELTA && pass.sent == 0 && pass.zeroed == 0)
        .map(p -> p.verification)
        .orElseGet(() -> Passes.verification(pass));
  }

  private PointEntity point(
      Session s,
      PassEntity pass,
      LegEntity leg,
      boolean oneInstant,
      long spread,
      String consistency) {
    List<PassDisk> disks = Passes.disks(pass);

    PointEntity point = new PointEntity();
    point.id = Ids.next("point");
    point.towId = pass.towId;
    point.legId = leg.id;
    point.siteId = disks.get(0).to().site();
    point.number = TowState.nextPointNumber(s, pass.towId);
    point.name = pointName(pass.id);
    point.asOf = pass.asOf;
    point.spreadMs = spread;
    point.oneInstant = oneInstant;
    point.consistency = consistency;
    point.verification = verification(s, pass, leg);
    point.recordedAt = services.clock().instant();
    point.sent = pass.sent;
    point.volumes =
        Json.text(
            disks.stream()
                .map(
                    d ->
                        new PointVolume(
                            d.memberId(),
                            d.disk(),
                            d.to().volume(),
                            d.root(),
                            d.digests().volume()))
                .toList());
    return point;
  }

  /**
   * What nobody needs once the newest point is recorded: the snapshot, the marker before its own,
   * and points that are not to be kept, whose records go here: nobody may choose one that is being
   * removed.
   *
   * @param former the marker that the leg had before
   */
  private static List<Thing> over(Session s, Work w, TowState state, LegEntity leg, String former) {
    Side from = TowState.source(leg);
    String site = state.siteId(from);
    String own = snapshotName(passId(w));
    List<Thing> over = new ArrayList<>();
    state.names(own, from).forEach(name -> over.add(new Thing(site, "snapshot", name)));
    if (!former.isEmpty() && !former.equals(own)) {
      state.names(former, from).forEach(name -> over.add(new Thing(site, "marker", name)));
    }
    List<PointEntity> points =
        Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", leg.id);
    Set<String> used = TowState.pointsInUse(s, w.subjectId());
    Retention.surplus(points, p -> p.number, state.timetable.keepPoints).stream()
        .filter(p -> !used.contains(p.id))
        .forEach(
            p -> {
              s.remove(p);
              over.add(new Thing(p.siteId, "point", p.name));
            });
    return over;
  }

  private static String[] dropped(Session s, List<Thing> things) {
    return Ledger.drop(s, things).toArray(String[]::new);
  }

  /** What can't be removed now is removed by the sweep. */
  private Outcome tidy(Work w) {
    String[] over =
        w.get(PassNotes.OVER)
            .orElseGet(
                // The point was recorded by a version that noted nothing.
                () ->
                    services
                        .db()
                        .tx(
                            s ->
                                dropped(
                                    s,
                                    over(
                                        s,
                                        w,
                                        TowState.load(s, w.subjectId()),
                                        leg(s, w),
                                        w.get(PassNotes.OLD_MARKER).orElse("")))));
    services.ledger().removeDropped(List.of(over));
    return Outcome.done("");
  }

  private Outcome abandon(Work w) {
    if (w.has(PassNotes.PASS)) {
      Optional<Problem> problem = w.problem();
      services
          .passes()
          .abandon(
              passId(w),
              problem.map(Problem::code).orElse("given-up"),
              problem.map(Problem::detail).orElse("the pass was given up"));
    }
    return Outcome.done("");
  }

  private Outcome release(Work w) {
    if (!w.has(PassNotes.PASS)) {
      return Outcome.done("");
    }
    TowState state = services.db().tx(s -> TowState.load(s, w.subjectId()));
    LegEntity leg = services.db().tx(s -> leg(s, w));
    Side from = TowState.source(leg);
    for (String name : state.names(snapshotName(passId(w)), from)) {
      services.ledger().remove(state.siteId(from), "snapshot", name);
      if (!leg.marker.equals(snapshotName(passId(w)))) {
        services.ledger().remove(state.siteId(from), "marker", name);
      }
    }
    String point = pointName(passId(w));
    if (services
        .db()
        .tx(s -> Db.list(s, Object.class, "from PointEntity where name = ?1", point))
        .isEmpty()) {
      services.ledger().remove(state.siteId(from.other()), "point", point);
    }
    services
        .db()
        .run(
            s -> {
              PassEntity pass = s.find(PassEntity.class, passId(w));
              if (pass.endedAt == null) {
                Passes.close(pass, PassState.FAILED, services.clock().instant());
                TimetableTask.watch(
                    s, leg.id, pass.startedAt.plusSeconds(state.timetable.everySeconds));
              }
            });
    return Outcome.done("");
  }
}
