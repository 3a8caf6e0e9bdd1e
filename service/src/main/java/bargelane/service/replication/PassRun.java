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
import bargelane.service.site.Ledger.Thing;
import bargelane.sites.Target;
import bargelane.text.Sizes;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicReference;
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

  /** All that a step of a pass looks at, loaded at once. */
  private record Loaded(PassEntity pass, TowState state, LegEntity leg) {}

  private Loaded load(Work w) {
    return services
        .db()
        .tx(
            s ->
                new Loaded(
                    s.find(PassEntity.class, passId(w)),
                    TowState.load(s, w.subjectId()),
                    s.find(LegEntity.class, w.input().path("leg").asText())));
  }

  private Outcome freeze(Work w) {
    Loaded loaded = load(w);
    PassEntity pass = loaded.pass();
    TowState state = loaded.state();
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
            state, loaded.leg(), pass, w.need(PassNotes.ONE_INSTANT), w.need(PassNotes.SPREAD_MS)));
    return Outcome.done(name);
  }

  /**
   * Point, marker and replicas change in one transaction, and with them it is noted which marker
   * nobody needs any more.
   */
  private Outcome record(Work w) {
    AtomicReference<String> detail = new AtomicReference<>("");
    w.makeOnce(
        PassNotes.OLD_MARKER,
        s -> {
          PassEntity pass = s.find(PassEntity.class, passId(w), LockMode.PESSIMISTIC_WRITE);
          LegEntity leg = s.find(LegEntity.class, pass.legId, LockMode.PESSIMISTIC_WRITE);
          if (pass.endedAt != null) {
            return "";
          }
          String old = leg.marker;
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
          detail.set("point " + point.number);
          return old;
        });
    return Outcome.done(detail.get());
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
    point.verification = Passes.verification(pass);
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
    Loaded loaded = load(w);
    Side from = TowState.source(loaded.leg());
    String site = loaded.state().siteId(from);
    List<Thing> over = new ArrayList<>();
    for (String name : loaded.state().names(snapshotName(passId(w)), from)) {
      over.add(new Thing(site, "snapshot", name));
    }
    String old = w.get(PassNotes.OLD_MARKER).orElse("");
    if (!old.isEmpty() && !old.equals(snapshotName(passId(w)))) {
      loaded.state().names(old, from).forEach(m -> over.add(new Thing(site, "marker", m)));
    }
    // The records go first: nobody may choose a point that is being removed.
    List<PointEntity> surplus =
        services.db().tx(s -> surplus(s, w, loaded.state().timetable.keepPoints));
    surplus.forEach(p -> over.add(new Thing(p.siteId, "point", p.name)));
    services.ledger().remove(over);
    return Outcome.done(surplus.isEmpty() ? "" : surplus.size() + " older points removed");
  }

  /** Takes the records of points that are not to be kept and that nobody works with. */
  private static List<PointEntity> surplus(Session s, Work w, int keep) {
    LegEntity leg =
        s.find(LegEntity.class, w.input().path("leg").asText(), LockMode.PESSIMISTIC_WRITE);
    List<PointEntity> points =
        Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", leg.id);
    Set<String> used = TowState.pointsInUse(s, w.subjectId());
    List<PointEntity> surplus =
        Retention.surplus(points, p -> p.number, keep).stream()
            .filter(p -> !used.contains(p.id))
            .toList();
    for (PointEntity p : surplus) {
      s.remove(p);
      Ledger.drop(s, p.siteId, "point", p.name);
    }
    return surplus;
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
