package bargelane.service.wave;

import bargelane.core.lane.Placement;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.Services;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Json;
import bargelane.service.pass.PassDisk;
import bargelane.service.pass.PassRun;
import bargelane.service.pass.PointVolume;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Steps that cutover, failback, failover, test and undo are put together from. Each decides from
 * the site what is left to do.
 */
final class Moves {

  private static final Duration HEALTHY_WITHIN = Duration.ofSeconds(60);
  private static final HttpClient HTTP =
      HttpClient.newBuilder()
          .version(HttpClient.Version.HTTP_1_1)
          .connectTimeout(Duration.ofSeconds(2))
          .build();

  private final Services services;
  private final java.util.function.Consumer<String> watchLeg;

  Moves(Services services, java.util.function.Consumer<String> watchLeg) {
    this.services = services;
    this.watchLeg = watchLeg;
  }

  TowState state(Work w) {
    return services.db().tx(s -> TowState.load(s, w.towId()));
  }

  Compute compute(TowState state, Side side) {
    return driver(state, side).compute();
  }

  SiteDriver driver(TowState state, Side side) {
    return services.sites().driver(state.siteId(side));
  }

  // ---- replication

  /** Holds back the timetable's passes of the leg. */
  Outcome pause(Work w) {
    services.db().run(s -> s.find(LegEntity.class, legId(w)).state = "paused");
    return Outcome.done("");
  }

  /** The leg that this run began on. */
  String legId(Work w) {
    return w.noteOnce(
        "leg",
        () ->
            state(w)
                .leg
                .map(l -> l.id)
                .orElseThrow(
                    () ->
                        new RunFailure(
                            "not-protected", "no replication runs", "bargelane wave load first")));
  }

  LegEntity leg(Work w) {
    String id = legId(w);
    return services.db().tx(s -> s.find(LegEntity.class, id));
  }

  /** Lets the timetable's passes go on. */
  Outcome resume(Work w) {
    services
        .db()
        .run(
            s -> {
              LegEntity leg = s.find(LegEntity.class, legId(w));
              if (leg.state.equals("paused")) {
                leg.state = "open";
              }
            });
    watchLeg.accept(legId(w));
    return Outcome.done("");
  }

  private List<RunEntity> openPasses(Work w) {
    return services
        .db()
        .tx(
            s ->
                Db.list(
                    s,
                    RunEntity.class,
                    "from RunEntity where towId = ?1 and kind = 'pass' and endedAt is null and (parentId is null or parentId <> ?2)",
                    w.towId(),
                    w.runId()));
  }

  /** Waits until the timetable's pass, if one runs, is over. */
  Outcome quiet(Work w) {
    return openPasses(w).isEmpty() ? Outcome.done("") : Outcome.waitFor("a pass is running");
  }

  /** Ends the timetable's pass, if one runs. */
  Outcome endPasses(Work w) {
    List<RunEntity> open = openPasses(w);
    open.forEach(r -> services.runs().giveUp(r.id, "failed-over", "the source was given up"));
    return open.isEmpty() ? Outcome.done("") : Outcome.waitFor("a pass is being backed out");
  }

  /** Makes a pass as part of this run, and waits for its point. */
  Outcome pass(Work w, String key) {
    String run =
        w.noteOnce(
            key,
            () ->
                services
                    .db()
                    .tx(
                        s ->
                            PassRun.start(
                                s,
                                services.runs(),
                                w.towId(),
                                legId(w),
                                w.runId(),
                                w.startedBy())));
    RunEntity pass = services.db().tx(s -> s.find(RunEntity.class, run));
    switch (pass.state) {
      case "done" -> {
        return Outcome.done(
            services
                .db()
                .tx(s -> TowState.newestPoint(s, s.find(LegEntity.class, legId(w))))
                .map(
                    p ->
                        "point "
                            + p.number
                            + " as of "
                            + p.asOf
                            + ", "
                            + (p.sent >> 10)
                            + " KiB sent")
                .orElse(""));
      }
      case "failed" -> {
        JsonNode problem = Json.object(pass.problem);
        throw new RunFailure(
            problem.path("code").asText(),
            problem.path("detail").asText(),
            problem.path("remedy").asText());
      }
      default -> {
        services.runs().wake(run);
        return Outcome.waitFor("run " + run);
      }
    }
  }

  // ---- the source

  /** Stops and fences every machine at a side, last rank first. */
  Outcome stop(Work w, Side side, String noteKey) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    w.noteOnce(noteKey, () -> services.clock().instant().toString());
    for (MemberEntity m : state.stopOrder()) {
      Optional<Berth> berth = TowState.berth(m, side);
      if (berth.isPresent()) {
        compute.stop(berth.get().platformId());
        compute.fence(berth.get().platformId());
      }
    }
    return Outcome.done(
        "stopped and fenced: "
            + String.join(", ", state.stopOrder().stream().map(m -> m.name).toList()));
  }

  /**
   * Takes the fence away and starts every machine at a side, first rank first, until they answer.
   */
  Outcome start(Work w, Side side) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    for (int rank : state.ranks()) {
      for (MemberEntity m : state.ofRank(rank)) {
        compute.unfence(TowState.berth(m, side).orElseThrow().platformId());
        compute.start(TowState.berth(m, side).orElseThrow().platformId());
      }
      for (MemberEntity m : state.ofRank(rank)) {
        Optional<String> bad =
            probe(compute, TowState.berth(m, side).orElseThrow().platformId(), m.name);
        if (bad.isPresent()) {
          return Outcome.waitFor(bad.get());
        }
      }
    }
    return Outcome.done(
        "running: " + String.join(", ", state.members.stream().map(m -> m.name).toList()));
  }

  // ---- the point and its clones

  /** The point that is started: asked for by id, or the leg's newest. */
  PointEntity point(Work w) {
    String id =
        w.noteOnce(
            "point",
            () -> {
              String asked = w.input().path("point").asText("");
              return services
                  .db()
                  .tx(
                      s -> {
                        Optional<PointEntity> found =
                            asked.isEmpty()
                                ? TowState.newestPoint(s, s.find(LegEntity.class, legId(w)))
                                : Db.first(
                                    s,
                                    PointEntity.class,
                                    "from PointEntity where towId = ?1 and (id = ?2 or cast(number as string) = ?2) and legId = ?3",
                                    w.towId(),
                                    asked,
                                    legId(w));
                        return found.orElseThrow(
                                () ->
                                    new RunFailure(
                                        "point-unknown",
                                        asked.isEmpty()
                                            ? "there is no complete recovery point"
                                            : "there is no recovery point '"
                                                + asked
                                                + "' on this side",
                                        "list them: bargelane point list WAVE"))
                            .id;
                      });
            });
    return services
        .db()
        .tx(s -> Optional.ofNullable(s.find(PointEntity.class, id)))
        .orElseThrow(
            () ->
                new RunFailure(
                    "point-gone", "recovery point " + id + " was removed", "choose a newer one"));
  }

  static List<PointVolume> volumes(PointEntity point) {
    return Json.read(point.volumes, new TypeReference<List<PointVolume>>() {});
  }

  String cloneName(Work w, MemberEntity m, int disk) {
    return "bl-" + w.runId() + "-" + m.name + "-d" + disk;
  }

  List<String> cloneNames(Work w, TowState state, MemberEntity m) {
    int disks = Plans.facts(state, m).disks().size();
    List<String> names = new ArrayList<>();
    for (int i = 0; i < disks; i++) {
      names.add(cloneName(w, m, i));
    }
    return names;
  }

  /** Clones the point's volumes at a side. */
  Outcome cloneVolumes(Work w, Side side) {
    TowState state = state(w);
    PointEntity point = point(w);
    Map<String, String> storage = new HashMap<>();
    state.replicas.forEach(r -> storage.put(r.memberId + "/" + r.disk, r.storage));
    for (PointVolume v : volumes(point)) {
      MemberEntity m =
          state.members.stream().filter(x -> x.id.equals(v.memberId())).findFirst().orElseThrow();
      String name = cloneName(w, m, v.disk());
      String owner = services.ledger().plan(state.siteId(side), w.towId(), "volume", name);
      driver(state, side)
          .target()
          .cloneVolume(
              name, owner, storage.get(v.memberId() + "/" + v.disk()), point.name, v.volume());
    }
    return Outcome.done("from point " + point.number + " as of " + point.asOf);
  }

  void dropClones(Work w, Side side) {
    TowState state = state(w);
    for (MemberEntity m : state.members) {
      cloneNames(w, state, m)
          .forEach(v -> services.ledger().remove(state.siteId(side), "volume", v));
    }
  }

  static String armName(Work w) {
    return "bl-" + w.runId() + "-arm";
  }

  /** Begins tracking on the clones before their machines run. */
  Outcome arm(Work w, Side side) {
    TowState state = state(w);
    for (MemberEntity m : state.members) {
      String marker = TowState.nameFor(armName(w), state.reach(side), m);
      String owner = services.ledger().plan(state.siteId(side), w.towId(), "marker", marker);
      driver(state, side).source().mark(marker, owner, cloneNames(w, state, m));
    }
    return Outcome.done("every change is tracked from the first instruction on");
  }

  void disarm(Work w, Side side) {
    TowState state = state(w);
    state
        .names(armName(w), side)
        .forEach(n -> services.ledger().remove(state.siteId(side), "marker", n));
  }

  // ---- machines at the target

  Compute.Spec spec(String name, String owner, MachineFacts f, Placement p, List<String> disks) {
    Map<String, String> labels = new LinkedHashMap<>(f.labels());
    return new Compute.Spec(
        name,
        owner,
        p.size(),
        f.cpus(),
        f.memoryMib(),
        f.os(),
        f.firmware(),
        p.zone(),
        disks,
        p.nics(),
        f.ingress(),
        labels);
  }

  /** Makes the machines at a side from the plan, or gives those that stand there the clones. */
  Outcome define(Work w, Side side) {
    TowState state = state(w);
    var results = side == Side.AWAY ? Plans.place(state) : null;
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      List<String> disks = cloneNames(w, state, m);
      Optional<Berth> berth = TowState.berth(m, side);
      Compute compute = compute(state, side);
      if (berth.isPresent()) {
        if (!w.noted("previous").has(m.id)) {
          note(w, "previous", m.id, Json.text(berth.get()));
        }
        setAside(
            state, side, berth.get().disks().stream().filter(d -> !disks.contains(d)).toList(), w);
        compute.attach(berth.get().platformId(), disks);
        note(w, "machines", m.id, berth.get().platformId());
      } else {
        String owner = services.ledger().plan(state.siteId(side), w.towId(), "machine", m.name);
        Placement placement = results.get(i).placement();
        String id = compute.define(spec(m.name, owner, Plans.facts(state, m), placement, disks));
        note(w, "machines", m.id, id);
      }
    }
    return Outcome.done(String.join(", ", state.members.stream().map(m -> m.name).toList()));
  }

  /**
   * Volumes that a landing takes off a machine are kept under our tag until the move is settled.
   */
  private void setAside(TowState state, Side side, List<String> disks, Work w) {
    for (String disk : disks) {
      if (!services.ledger().recorded(state.siteId(side), "volume", disk)) {
        note(w, "setAside", disk, side.name());
        String owner = services.ledger().plan(state.siteId(side), w.towId(), "volume", disk);
        driver(state, side).target().own(disk, owner);
      }
    }
  }

  /**
   * Volumes that a landing set aside are the site's own again when they are back on their machine.
   */
  void takeUpAgain(TowState state, Side side, JsonNode landingNotes) {
    landingNotes
        .path("setAside")
        .fieldNames()
        .forEachRemaining(
            disk -> {
              driver(state, side).target().own(disk, "");
              services.ledger().release(state.siteId(side), "volume", disk);
            });
  }

  static void note(Work w, String map, String key, String value) {
    com.fasterxml.jackson.databind.node.ObjectNode node = Json.MAPPER.createObjectNode();
    if (w.noted(map).isObject()) {
      node.setAll((com.fasterxml.jackson.databind.node.ObjectNode) w.noted(map));
    }
    node.put(key, value);
    w.note(map, node);
  }

  /** A step for each rank: start its machines and wait until they answer. */
  List<Step> startSteps(Work w, Side side) {
    List<Step> steps = new ArrayList<>();
    for (int rank : state(w).ranks()) {
      steps.add(
          new Step(
              "start-" + rank,
              "Start rank " + rank + " and probe it",
              x -> startRank(x, side, rank)));
    }
    return steps;
  }

  private Outcome startRank(Work w, Side side, int rank) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    Instant begun =
        Instant.parse(w.noteOnce("rank-" + rank, () -> services.clock().instant().toString()));
    List<String> answers = new ArrayList<>();
    for (MemberEntity m : state.ofRank(rank)) {
      String id = w.noted("machines").path(m.id).asText();
      compute.unfence(id);
      compute.start(id);
      Optional<String> bad = probe(compute, id, m.name);
      if (bad.isPresent()) {
        if (Duration.between(begun, services.clock().instant()).compareTo(HEALTHY_WITHIN) > 0) {
          throw new RunFailure(
              "probe-failed",
              m.name
                  + " did not become healthy within "
                  + HEALTHY_WITHIN.toSeconds()
                  + " s: "
                  + bad.get(),
              "look at the machine, then start this again");
        }
        return Outcome.waitFor(bad.get());
      }
      answers.add(m.name);
    }
    w.note("upAt", services.clock().instant().toString());
    return Outcome.done("healthy: " + String.join(", ", answers));
  }

  /** TCP and HTTP to a machine's service; empty if it answered with its own name. */
  Optional<String> probe(Compute compute, String id, String name) {
    Compute.WayIn way = compute.wayIn(id);
    URI uri = URI.create("http://" + way.host() + ":" + way.port() + "/");
    try {
      HttpResponse<byte[]> r =
          HTTP.send(
              HttpRequest.newBuilder(uri).timeout(Duration.ofSeconds(3)).build(),
              HttpResponse.BodyHandlers.ofByteArray());
      String told =
          r.statusCode() == 200 ? Json.MAPPER.readTree(r.body()).path("machine").asText() : "";
      return told.startsWith(name)
          ? Optional.empty()
          : Optional.of(name + " answered status " + r.statusCode() + " as '" + told + "'");
    } catch (IOException e) {
      return Optional.of(name + " does not answer yet: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", "the probe was interrupted", e);
    }
  }

  // ---- landing and turning round

  /** What a turn needs to know of the disks of the side that lost. */
  record Turn(
      Side winner,
      String marker,
      Optional<PointEntity> base,
      boolean equalsBase,
      Map<String, String> intents) {}

  /** Records that the machines run at a side now, on the clones of this run; closes the leg. */
  void land(Session s, Work w, Side winner) {
    TowState state = TowState.load(s, w.towId());
    state.tow.landed = winner == Side.AWAY;
    for (MemberEntity m : state.members) {
      List<String> previous = TowState.berth(m, winner).map(Berth::disks).orElse(List.of());
      if (!previous.equals(cloneNames(w, state, m))) {
        TowState.berth(
            m,
            winner,
            new Berth(w.noted("machines").path(m.id).asText(), cloneNames(w, state, m), previous));
      }
    }
    s.find(LegEntity.class, legId(w)).state = "closed";
    services
        .events()
        .tell(
            s,
            "landed",
            w.towId(),
            w.runId(),
            state.wave.name + " runs at " + state.site(winner).name,
            null);
  }

  /**
   * Begins replication from the winner to the loser: the loser's disks, frozen, become the base of
   * the replicas. Where they equal the common point, that is a recovery point at once, without a
   * byte moved.
   */
  Outcome turn(Work w, Turn turn) {
    TowState state = state(w);
    Side loser = turn.winner().other();
    String site = state.siteId(loser);
    String anchor = "bl-" + w.runId() + "-anchor";
    String owner = services.ledger().plan(site, w.towId(), "point", anchor);
    List<String> frozen =
        state.members.stream()
            .flatMap(m -> TowState.berth(m, loser).orElseThrow().disks().stream())
            .toList();
    driver(state, loser).target().freeze(anchor, owner, frozen);
    List<PointVolume> anchored = new ArrayList<>();
    List<ReplicaEntity> replicas = new ArrayList<>();
    String legId = w.noteOnce("nextLeg", () -> Ids.next("leg"));
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, loser).orElseThrow();
      for (int i = 0; i < berth.disks().size(); i++) {
        ReplicaEntity r = new ReplicaEntity();
        r.id = Ids.next("rep");
        r.legId = legId;
        r.memberId = m.id;
        r.disk = i;
        r.volume = "bl-" + legId + "-" + m.name + "-d" + i;
        r.bytes = Plans.facts(state, m).disks().get(i).bytes();
        r.storage = storage(state, loser, m, i);
        r.intent = turn.intents().getOrDefault(m.id + "/" + i, "");
        services.ledger().plan(site, w.towId(), "volume", r.volume);
        driver(state, loser)
            .target()
            .cloneVolume(r.volume, owner, r.storage, anchor, berth.disks().get(i));
        replicas.add(r);
        anchored.add(new PointVolume(m.id, i, berth.disks().get(i), root(turn.base(), m.id, i)));
      }
    }
    if (turn.equalsBase()) {
      copyFiles(turn.base().orElseThrow(), site, anchor);
    }
    services.db().run(s -> openLeg(s, w, turn, legId, replicas, anchored, anchor, site));
    watchLeg.accept(legId);
    return Outcome.done(
        turn.equalsBase()
            ? "the common point is held on both sides"
            : "what either side changed is to cross");
  }

  private static String root(Optional<PointEntity> base, String member, int disk) {
    return base.stream()
        .flatMap(p -> volumes(p).stream())
        .filter(v -> v.memberId().equals(member) && v.disk() == disk)
        .map(PointVolume::root)
        .findFirst()
        .orElse("");
  }

  private String storage(TowState state, Side side, MemberEntity m, int disk) {
    String volume = TowState.berth(m, side).orElseThrow().disks().get(disk);
    return driver(state, side).inventory().machines().stream()
        .flatMap(x -> x.disks().stream())
        .filter(d -> d.volume().equals(volume))
        .map(d -> d.storage())
        .findFirst()
        .orElseThrow(
            () ->
                new RunFailure(
                    "disk-missing",
                    "volume "
                        + volume
                        + " of "
                        + m.name
                        + " is no longer attached at "
                        + state.site(side).name,
                    "attach it again"));
  }

  private void copyFiles(PointEntity from, String site, String anchor) {
    List<String> files = new ArrayList<>(List.of("manifest"));
    volumes(from).forEach(v -> files.add("digests-" + v.memberId() + "-" + v.disk()));
    for (String file : files) {
      services
          .sites()
          .driver(from.siteId)
          .target()
          .attachment(from.name, file)
          .ifPresent(c -> services.sites().driver(site).target().attach(anchor, file, c));
    }
  }

  private void openLeg(
      Session s,
      Work w,
      Turn turn,
      String legId,
      List<ReplicaEntity> replicas,
      List<PointVolume> anchored,
      String anchor,
      String site) {
    if (s.find(LegEntity.class, legId) != null) {
      return;
    }
    Integer last =
        Db.first(s, Integer.class, "select max(number) from LegEntity where towId = ?1", w.towId())
            .orElse(0);
    LegEntity leg = new LegEntity();
    leg.id = legId;
    leg.towId = w.towId();
    leg.number = last + 1;
    leg.direction = turn.winner() == Side.AWAY ? "back" : "out";
    leg.state = "open";
    leg.marker = turn.marker();
    leg.basePointId = turn.base().map(p -> p.id).orElse(null);
    s.persist(leg);
    s.flush();
    replicas.forEach(s::persist);
    if (turn.equalsBase()) {
      PointEntity base = turn.base().orElseThrow();

      PointEntity p = new PointEntity();
      p.id = Ids.next("point");
      p.towId = w.towId();
      p.legId = legId;
      p.siteId = site;
      p.number = TowState.nextPointNumber(s, w.towId());
      p.name = anchor;
      p.asOf = base.asOf;
      p.spreadMs = base.spreadMs;
      p.consistency = base.consistency;
      p.verified = base.verified;
      p.recordedAt = services.clock().instant();
      p.volumes = Json.text(anchored);
      s.persist(p);
    }
  }

  /** Removes what a closed leg left: its replicas, points and marker. */
  void dropLeg(String legId) {
    LegEntity leg = services.db().tx(s -> s.find(LegEntity.class, legId));
    TowState state = services.db().tx(s -> TowState.load(s, leg.towId));
    Side from = TowState.source(leg);
    List<PointEntity> points =
        services
            .db()
            .tx(s -> Db.list(s, PointEntity.class, "from PointEntity where legId = ?1", legId));
    List<ReplicaEntity> replicas =
        services
            .db()
            .tx(s -> Db.list(s, ReplicaEntity.class, "from ReplicaEntity where legId = ?1", legId));
    services.db().run(s -> points.forEach(p -> s.remove(s.find(PointEntity.class, p.id))));
    replicas.forEach(r -> services.ledger().remove(state.siteId(from.other()), "volume", r.volume));
    points.forEach(p -> services.ledger().remove(p.siteId, "point", p.name));
    if (!leg.marker.isEmpty()) {
      state
          .names(leg.marker, from)
          .forEach(m -> services.ledger().remove(state.siteId(from), "marker", m));
    }
    services.db().run(s -> Db.change(s, "delete from ReplicaEntity where legId = ?1", legId));
  }

  /**
   * Removes what legs before the one this run ended left: nothing can be undone to them any more.
   */
  void dropOlderLegs(Work w) {
    int number = leg(w).number;
    services
        .db()
        .tx(
            s ->
                Db.list(
                    s,
                    String.class,
                    "select id from LegEntity where towId = ?1 and number < ?2 and state = 'closed'",
                    w.towId(),
                    number))
        .forEach(this::dropLeg);
  }

  /** Takes back what a run made at a side: machines, clones, tracking. */
  Outcome undoTarget(Work w, Side side) {
    TowState state = state(w);
    Compute compute = compute(state, side);
    for (MemberEntity m : state.members) {
      JsonNode previous = w.noted("previous").path(m.id);
      if (previous.isTextual()) {
        Berth berth = Json.read(previous.asText(), Berth.class);
        compute.stop(berth.platformId());
        compute.attach(berth.platformId(), berth.disks());
        compute.fence(berth.platformId());
      } else if (TowState.berth(m, side).isEmpty()) {
        services.ledger().remove(state.siteId(side), "machine", m.name);
      }
    }
    takeUpAgain(state, side, w.notes());
    disarm(w, side);
    dropClones(w, side);
    return Outcome.done("");
  }

  /** Keeps the record of a finished move. */
  void dossier(Work w, String kind, Map<String, Object> record) {
    services
        .db()
        .run(
            s -> {
              if (Db.list(s, Object.class, "from DossierEntity where runId = ?1", w.runId())
                  .isEmpty()) {
                DossierEntity d = new DossierEntity();
                d.id = Ids.next("dos");
                d.runId = w.runId();
                d.towId = w.towId();
                d.kind = kind;
                d.at = services.clock().instant();
                d.record = Json.text(record);
                s.persist(d);
              }
            });
    w.result(record);
  }

  /** Digests of the point that was started, by machine and disk. */
  static Map<String, String> digests(PointEntity point, TowState state) {
    Map<String, String> digests = new LinkedHashMap<>();
    for (PointVolume v : volumes(point)) {
      String name =
          state.members.stream()
              .filter(m -> m.id.equals(v.memberId()))
              .map(m -> m.name)
              .findFirst()
              .orElse(v.memberId());
      digests.put(name + " disk " + v.disk(), v.root());
    }
    return digests;
  }

  static String placed(PlacedNic n) {
    return n.network() + " " + n.address() + (n.kept() ? " (kept)" : "");
  }

  /** Ranges that a survey found, by member and disk. */
  static Map<String, String> ranges(List<PassDisk> disks) {
    Map<String, String> ranges = new HashMap<>();
    disks.forEach(d -> ranges.put(d.memberId() + "/" + d.disk(), d.differed()));
    return ranges;
  }
}
