package bargelane.service.replication;

import bargelane.api.Problem;
import bargelane.core.point.Retention;
import bargelane.core.replication.LegState;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Subject;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
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

  public PassRun(Services services) {
    this.services = services;
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
        new Step("snapshot", "Take the disks at one instant", this::snapshot),
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

  private static String passId(Work w) {
    return w.note("pass").orElseThrow();
  }

  private static String snapshotName(String passId) {
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

  private Outcome snapshot(Work w) {
    LegEntity leg = leg(w);
    if (leg.state == LegState.CLOSED) {
      throw new RunFailure(
          "leg-closed", "the direction of replication has changed", "nothing is to be done");
    }
    Side from = TowState.source(leg);
    grow(w, state(w), leg, from);
    TowState state = state(w);
    String passId =
        w.makeOnce(
            "pass",
            s -> {
              Long number =
                  Db.first(
                          s, Long.class, "select count(*) from PassEntity where legId = ?1", leg.id)
                      .orElse(0L);
              return Passes.create(
                      s,
                      services.clock(),
                      w.runId(),
                      w.subjectId(),
                      leg.id,
                      number.intValue() + 1,
                      PassKind.DELTA,
                      state.timetable.verify)
                  .id;
            });
    SiteDriver source = services.sites().driver(state.siteId(from));
    Reach reach = state.reach(from);
    Set<String> markers = source.source().markers();
    boolean tracked =
        w.note("markerLost").isEmpty()
            && !leg.marker.isEmpty()
            && markers.containsAll(state.names(leg.marker, from));
    boolean blank = state.replicas.stream().allMatch(r -> r.blank);

    Map<String, List<String>> groups = new LinkedHashMap<>();
    Map<String, String> since = new HashMap<>();
    for (MemberEntity m : state.members) {
      since.put(
          TowState.nameFor(snapshotName(passId), reach, m), TowState.nameFor(leg.marker, reach, m));
      groups
          .computeIfAbsent(TowState.nameFor(snapshotName(passId), reach, m), k -> new ArrayList<>())
          .addAll(TowState.berth(m, from).orElseThrow().disks());
    }
    String owner = services.ledger().owner(w.subjectId());
    for (String name : groups.keySet()) {
      services.ledger().plan(state.siteId(from), w.subjectId(), "snapshot", name);
      services.ledger().plan(state.siteId(from), w.subjectId(), "marker", name);
    }
    boolean firstTime = w.note("asOf").isEmpty();
    Instant asOf = Instant.parse(w.noteOnce("asOf", () -> services.clock().instant().toString()));
    if (firstTime) {
      // Nobody has asked for this snapshot yet, so its instant is not before now: the note above is
      // for a
      // driver that finds the snapshot made, this is the closer figure.
      asOf = services.clock().instant();
    }
    boolean quiesce = state.timetable.quiesce;
    int atRest = 0;
    Duration held = Duration.ZERO;
    for (Map.Entry<String, List<String>> group : groups.entrySet()) {
      Source.Taken one;
      try {
        one =
            source
                .source()
                .snapshot(
                    group.getKey(),
                    owner,
                    group.getValue(),
                    tracked ? Optional.of(since.get(group.getKey())) : Optional.empty(),
                    quiesce);
      } catch (SiteException e) {
        if (e.kind() != SiteException.Kind.MARKER_LOST) {
          throw e;
        }
        tracked = false;
        w.note("markerLost", e.getMessage());
        one =
            source
                .source()
                .snapshot(group.getKey(), owner, group.getValue(), Optional.empty(), quiesce);
      }
      atRest += one.quiesced() ? 1 : 0;
      held = one.held().compareTo(held) > 0 ? one.held() : held;
    }
    boolean promised = reach.promisesOneInstant(state.members.size());
    w.note("oneInstant", promised);
    w.note("consistency", consistency(promised, groups.size(), atRest));
    PassKind kind = PassKind.next(tracked, blank);
    Instant taken = asOf;
    long spread = promised ? 0 : Duration.between(taken, services.clock().instant()).toMillis();
    w.note("spreadMs", spread);
    services.passes().offer(passId, pass -> fill(pass, state, leg, from, reach, kind, taken));
    return Outcome.done(
        kind.word()
            + " pass as of "
            + asOf
            + (groups.size() > 1 ? ", machines within " + spread + " ms" : "")
            + (atRest > 0 ? ", guests' writes held for at most " + held.toMillis() + " ms" : "")
            + w.note("markerLost").map(why -> "; what changed can't be told: " + why).orElse(""));
  }

  /** Lets replicas grow whose source disks have grown. */
  private void grow(Work w, TowState state, LegEntity leg, Side from) {
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, from).orElseThrow();
      MachineFacts now =
          services.sites().driver(state.siteId(from)).compute().machine(berth.platformId());
      for (ReplicaEntity r : state.replicasOf(m)) {
        // 0 where the platform does not tell sizes with a single machine.
        long bytes = r.disk < now.disks().size() ? now.disks().get(r.disk).bytes() : 0;
        if (bytes != 0 && bytes < r.bytes) {
          throw new RunFailure(
              "disk-shrunk",
              "disk " + r.disk + " of " + m.name + " has " + bytes + " bytes and had " + r.bytes,
              "see why; if it is meant, take the machine out of the wave and plan it again");
        }
        if (bytes > r.bytes) {
          services.sites().driver(state.siteId(from.other())).target().growVolume(r.volume, bytes);
          services.db().run(s -> record(s, w, m, r, leg, bytes));
        }
      }
    }
  }

  private void record(
      Session s, Work w, MemberEntity m, ReplicaEntity r, LegEntity leg, long bytes) {
    s.find(ReplicaEntity.class, r.id).bytes = bytes;
    MachineEntity machine = s.find(MachineEntity.class, m.machineId);
    machine.facts = Json.text(Json.read(machine.facts, MachineFacts.class).grown(r.disk, bytes));
    services
        .events()
        .tell(
            s,
            "pass",
            w.subjectId(),
            w.runId(),
            "disk "
                + r.disk
                + " of "
                + m.name
                + " has grown from "
                + (r.bytes >> 20)
                + " to "
                + (bytes >> 20)
                + " MiB, and its replica on leg "
                + leg.number
                + " with it",
            null);
  }

  private void fill(
      PassEntity pass,
      TowState state,
      LegEntity leg,
      Side from,
      Reach reach,
      PassKind kind,
      Instant asOf) {
    pass.kind = kind;
    pass.asOf = asOf;
    Optional<PointEntity> known =
        services
            .db()
            .tx(
                s ->
                    TowState.newestPoint(s, leg)
                        .or(
                            () ->
                                Optional.ofNullable(leg.basePointId)
                                    .map(id -> s.find(PointEntity.class, id))));
    pass.digestSiteId = known.map(p -> p.siteId).orElse("");
    pass.digestPoint = known.map(p -> p.name).orElse("");
    List<PassDisk> disks = new ArrayList<>();
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, from).orElseThrow();
      for (ReplicaEntity r : state.replicasOf(m)) {
        disks.add(
            PassDisk.fresh(
                disks.size(),
                m.id,
                m.name,
                r.disk,
                r.id,
                state.siteId(from),
                berth.disks().get(r.disk),
                TowState.nameFor(snapshotName(pass.id), reach, m),
                kind == PassKind.DELTA ? TowState.nameFor(leg.marker, reach, m) : "",
                state.siteId(from.other()),
                r.volume,
                r.bytes,
                r.intent,
                r.anywhere));
      }
    }
    pass.disks = Json.text(disks);
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
    String site = disks.get(0).targetSite();
    Target target = services.sites().driver(site).target();
    String name = pointName(pass.id);
    String owner = services.ledger().plan(site, w.subjectId(), "point", name);
    target.freeze(name, owner, disks.stream().map(PassDisk::targetVolume).toList());
    for (PassDisk d : disks) {
      target.attach(name, d.digestFile(), services.passes().shippedDigests(pass.id, d.index()));
    }
    target.attach(
        name,
        "manifest",
        Manifest.of(
            state, leg(w), pass, w.noted("oneInstant").asBoolean(), w.noted("spreadMs").asLong()));
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
                  w.noteOnce("oldMarker", () -> leg.marker);
                  PointEntity point =
                      point(
                          s,
                          pass,
                          leg,
                          w.noted("oneInstant").asBoolean(),
                          w.noted("spreadMs").asLong(),
                          w.note("consistency").orElse("crash-consistent"));
                  s.persist(point);
                  leg.marker = snapshotName(pass.id);
                  Db.change(
                      s,
                      "update ReplicaEntity set intent = '', anywhere = false, blank = false where legId = ?1",
                      leg.id);
                  Passes.close(s, pass, PassState.COMPLETE, services.clock().instant());
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
                              + (pass.sent >> 10)
                              + " KiB sent",
                          Map.of("point", point.id, "asOf", point.asOf.toString()));
                  return "point " + point.number;
                });
    return Outcome.done(text);
  }

  /** In words: how many instants were taken, and how many of them with file systems at rest. */
  private static String consistency(boolean promised, int instants, int atRest) {
    return (promised ? "one instant" : "one instant a machine")
        + (atRest == 0
            ? ", crash-consistent"
            : atRest == instants
                ? ", file systems at rest"
                : ", file systems of " + atRest + " of " + instants + " at rest");
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
    point.siteId = disks.get(0).targetSite();
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
                .map(d -> new PointVolume(d.memberId(), d.disk(), d.targetVolume(), d.root()))
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
    String old = w.note("oldMarker").orElse("");
    if (!old.isEmpty() && !old.equals(snapshotName(passId(w)))) {
      state.names(old, from).forEach(m -> services.ledger().remove(site, "marker", m));
    }
    List<PointEntity> points =
        services
            .db()
            .tx(s -> Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", leg.id));
    int removed = 0;
    for (PointEntity p : Retention.surplus(points, p -> p.asOf, state.timetable.keepPoints)) {
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
    if (w.note("pass").isPresent()) {
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
    if (w.note("pass").isEmpty()) {
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
                Passes.close(s, pass, PassState.FAILED, services.clock().instant());
              }
            });
    return Outcome.done("");
  }
}
