package bargelane.service.replication;

import bargelane.api.Problem;
import bargelane.core.point.Retention;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Subject;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.sites.Target;
import bargelane.text.Sizes;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
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

  /** Begins a pass on a leg in the caller's transaction; the run is to be woken afterwards. */
  public static String start(
      Session s, RunEngine runs, TowEntity tow, String legId, String parentId, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            KIND,
            "Pass",
            new Subject("wave", tow.id, tow.name),
            parentId,
            Map.of("leg", legId),
            List.of(),
            by));
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("snapshot", "Take the disks at one instant", snapshots::take),
        new Step("ship", "Ship what differs", w -> services.passes().shipped(passId(w))),
        new Step("seal", "Revoke the exports", this::seal),
        new Step("freeze", "Freeze the point", this::freeze),
        new Step("record", "Record the point", this::record),
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

  private TowState state(Work w) {
    return services.db().tx(s -> TowState.load(s, w.subjectId()));
  }

  private LegEntity leg(Work w) {
    return services.db().tx(s -> s.find(LegEntity.class, w.input().path("leg").asText()));
  }

  private Outcome seal(Work w) {
    services.passes().seal(passId(w));
    return Outcome.done("");
  }

  private PassEntity pass(Work w) {
    return services.db().tx(s -> s.find(PassEntity.class, passId(w)));
  }

  private Outcome freeze(Work w) {
    PassEntity pass = pass(w);
    TowState state = state(w);
    List<PassDisk> disks = Passes.disks(pass);
    String site = disks.get(0).to().site();
    Target target = services.sites().driver(site).target();
    String name = pointName(pass.id);
    String owner = services.ledger().plan(site, w.subjectId(), "point", name);
    target.freeze(
        name,
        owner,
        disks.stream().flatMap(d -> Stream.of(d.to().volume(), d.digests().volume())).toList());
    target.attach(
        name,
        "manifest",
        Manifest.of(
            state, leg(w), pass, w.need(PassNotes.ONE_INSTANT), w.need(PassNotes.SPREAD_MS)));
    return Outcome.done(name);
  }

  private Outcome record(Work w) {
    String text =
        services
            .db()
            .tx(
                s -> {
                  PassEntity pass =
                      s.find(PassEntity.class, passId(w), org.hibernate.LockMode.PESSIMISTIC_WRITE);
                  if (pass.endedAt != null) {
                    return "";
                  }
                  LegEntity leg =
                      s.find(LegEntity.class, pass.legId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
                  w.once(PassNotes.OLD_MARKER, () -> leg.marker);
                  PointEntity point =
                      point(
                          s,
                          pass,
                          leg,
                          w.need(PassNotes.ONE_INSTANT),
                          w.need(PassNotes.SPREAD_MS),
                          w.get(PassNotes.CONSISTENCY).orElse("crash-consistent"));
                  s.persist(point);
                  leg.marker = snapshotName(pass.id);
                  leg.pointId = point.id;
                  Db.change(
                      s,
                      "update ReplicaEntity set intent = '', anywhere = false, blank = false where legId = ?1",
                      leg.id);
                  Passes.close(pass, PassState.COMPLETE, services.clock().instant());
                  services
                      .events()
                      .tell(
                          s,
                          "point",
                          w.subjectId(),
                          w.runId(),
                          TowState.load(s, w.subjectId()).tow.name
                              + ": recovery point "
                              + point.number
                              + ", "
                              + Sizes.text(pass.sent)
                              + " sent",
                          Map.of("point", point.id, "asOf", point.asOf.toString()));
                  return "point " + point.number;
                });
    return Outcome.done(text);
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
    point.verified = pass.verify;
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

  private Outcome tidy(Work w) {
    TowState state = state(w);
    LegEntity leg = leg(w);
    Side from = TowState.source(leg);
    String site = state.siteId(from);
    for (String name : state.names(snapshotName(passId(w)), from)) {
      services.ledger().remove(site, "snapshot", name);
    }
    String old = w.get(PassNotes.OLD_MARKER).orElse("");
    if (!old.isEmpty() && !old.equals(snapshotName(passId(w)))) {
      state.names(old, from).forEach(m -> services.ledger().remove(site, "marker", m));
    }
    List<PointEntity> points =
        services
            .db()
            .tx(s -> Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", leg.id));
    int removed = 0;
    for (PointEntity p : Retention.surplus(points, p -> p.number, state.timetable.keepPoints)) {
      // The record goes first: nobody may choose a point that is being removed.
      boolean free =
          services
              .db()
              .tx(
                  s -> {
                    s.find(LegEntity.class, leg.id, LockMode.PESSIMISTIC_WRITE);
                    if (TowState.pointsInUse(s, w.subjectId()).contains(p.id)) {
                      return false;
                    }
                    s.remove(s.find(PointEntity.class, p.id));
                    Ledger.drop(s, p.siteId, "point", p.name);
                    return true;
                  });
      if (free) {
        services.ledger().remove(p.siteId, "point", p.name);
        removed++;
      }
    }
    return Outcome.done(removed == 0 ? "" : removed + " older points removed");
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
    TowState state = state(w);
    LegEntity leg = leg(w);
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
              }
            });
    return Outcome.done("");
  }
}
