package bargelane.service.move;

import static java.util.stream.Collectors.joining;

import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.plan.Plans;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassNotes;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Notes;
import bargelane.service.run.Outcome;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Starting machines at a side from clones of a point: on a cutover, a failback, a failover, and
 * backing out of one.
 */
final class Landing {

  private final Services services;
  private final Moves moves;
  private final Carrying carrying;
  private final DiskOrder order;
  private final LetIn letIn;

  Landing(Services services, Moves moves, Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.carrying = carrying;
    this.order = new DiskOrder(moves);
    this.letIn = new LetIn(services, moves);
  }

  String cloneName(Work w, MemberEntity m, int disk) {
    return VolumeNames.volume(w.runId(), m, disk);
  }

  /** Of the disks that the point has, once it is chosen: others may have come since. */
  List<String> cloneNames(Work w, TowState state, MemberEntity m) {
    int disks =
        w.has(PassNotes.POINT)
            ? (int)
                PointVolume.of(moves.point(w)).stream()
                    .filter(v -> v.memberId().equals(m.id))
                    .count()
            : Plans.facts(state, m).disks().size();
    List<String> names = new ArrayList<>();
    for (int i = 0; i < disks; i++) {
      names.add(cloneName(w, m, i));
    }
    return names;
  }

  /** Clones the point's volumes at a side. */
  Outcome cloneVolumes(Work w, Side side) {
    TowState state = moves.state(w);
    PointEntity point = moves.point(w);
    Map<String, String> storage = new HashMap<>();
    state.replicas.forEach(r -> storage.put(r.memberId + "/" + r.disk, r.storage));
    for (PointVolume v : PointVolume.of(point)) {
      MemberEntity m =
          state.members.stream().filter(x -> x.id.equals(v.memberId())).findFirst().orElseThrow();
      String name = cloneName(w, m, v.disk());
      String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "volume", name);
      moves
          .driver(state, side)
          .target()
          .cloneVolume(
              name, owner, storage.get(v.memberId() + "/" + v.disk()), point.name, v.volume());
    }
    return Outcome.done(
        "from point " + point.number + " as of " + point.asOf.truncatedTo(ChronoUnit.SECONDS));
  }

  void dropClones(Work w, Side side) {
    TowState state = moves.state(w);
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
    TowState state = moves.state(w);
    for (MemberEntity m : state.members) {
      String marker = TowState.nameFor(armName(w), state.reach(side), m);
      String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "marker", marker);
      moves.driver(state, side).source().mark(marker, owner, cloneNames(w, state, m));
    }
    return Outcome.done("every change is tracked from the first instruction on");
  }

  void disarm(Work w, Side side) {
    TowState state = moves.state(w);
    state
        .names(armName(w), side)
        .forEach(n -> services.ledger().remove(state.siteId(side), "marker", n));
  }

  Compute.Spec spec(
      String name, String owner, MemberEntity m, MachineFacts f, Placement p, List<String> disks) {
    return new Compute.Spec(
        name,
        owner,
        p.size(),
        f.cpus(),
        f.memoryMib(),
        f.os(),
        f.firmware(),
        p.zone(),
        p.licence(),
        p.belonging().project(),
        p.belonging().identity(),
        p.sockets(),
        p.bootProtection(),
        disks,
        p.nics(),
        p.ingressOf(f.ingress()),
        Plans.probe(m).port(),
        p.belonging().labelsOf(f.labels()));
  }

  /** Makes the machines at a side from the plan, or gives those that stand there the clones. */
  Outcome define(Work w, Side side) {
    TowState state = moves.state(w);
    carrying.arriving(w, side);
    var results = side == Side.AWAY ? services.db().tx(s -> Plans.hold(s, state)) : null;
    boolean filters = side == Side.AWAY && letIn.filters(state);
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      List<String> disks = cloneNames(w, state, m);
      Optional<Berth> berth = TowState.berth(m, side);
      Compute compute = moves.compute(state, side);
      if (filters) {
        letIn.prepare(w, state, m, results.get(i).placement(), compute, berth);
      }
      if (berth.isPresent()) {
        if (w.notes().get(MoveNotes.PREVIOUS, m.id).isEmpty()) {
          w.put(MoveNotes.PREVIOUS, m.id, berth.get());
        }
        List<String> stay = DiskOrder.staying(berth.get(), side, disks.size());
        setAside(
            state,
            side,
            berth.get().disks().stream()
                .filter(d -> !disks.contains(d) && !stay.contains(d))
                .toList(),
            w);
        compute.attach(
            berth.get().platformId(),
            DiskOrder.having(
                w, m, side, berth, order.before(w, state, side, m, berth.get()), disks, stay));
        w.put(MoveNotes.MACHINES, m.id, berth.get().platformId());
      } else {
        Placement placement = results.get(i).placement();
        if (w.notes().get(MoveNotes.CALLED, m.id).isEmpty()) {
          w.put(MoveNotes.CALLED, m.id, placement.nameOf(m.name));
        }
        String name = called(w, m);
        String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "machine", name);
        List<String> all = DiskOrder.having(w, m, side, berth, List.of(), disks, List.of());
        String id = compute.define(spec(name, owner, m, Plans.facts(state, m), placement, all));
        w.put(MoveNotes.MACHINES, m.id, id);
      }
    }
    return Outcome.done(String.join(", ", state.members.stream().map(m -> m.name).toList()));
  }

  /** Gives a machine the disks again that it had before a landing, and lets in whom it let in. */
  void giveBack(TowState state, Side side, Notes landing, MemberEntity m, Berth before) {
    Compute compute = moves.compute(state, side);
    compute.attach(before.platformId(), landing.get(MoveNotes.ORDER, m.id).orElse(before.all()));
    landing
        .get(MoveNotes.RULES_BEFORE, m.id)
        .ifPresent(rules -> compute.letIn(before.platformId(), rules));
  }

  /** What this run calls a machine where it makes it, whatever the plan says meanwhile. */
  private static String called(Work w, MemberEntity m) {
    return w.notes().get(MoveNotes.CALLED, m.id).orElse(m.name);
  }

  /**
   * Volumes that a landing takes off a machine are kept under our tag until the move is settled.
   */
  private void setAside(TowState state, Side side, List<String> disks, Work w) {
    for (String disk : disks) {
      if (!services.ledger().recorded(state.siteId(side), "volume", disk)) {
        w.put(MoveNotes.SET_ASIDE, disk, side);
        String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "volume", disk);
        moves.driver(state, side).target().own(disk, owner);
      }
    }
  }

  /**
   * Volumes that a landing set aside are the site's own again when they are back on their machine.
   */
  void takeUpAgain(TowState state, Side side, Notes landing) {
    landing
        .get(MoveNotes.SET_ASIDE)
        .orElse(Map.of())
        .keySet()
        .forEach(
            disk -> {
              moves.driver(state, side).target().own(disk, "");
              services.ledger().release(state.siteId(side), "volume", disk);
            });
  }

  /** A step for each rank: start its machines and wait until they answer. */
  List<Step> startSteps(Work w, Side side) {
    return startSteps(w, side, false);
  }

  /**
   * The same.
   *
   * @param mayBeShut whether they count as started though somebody does not get through to them
   *     whom the target is to let in
   */
  List<Step> startSteps(Work w, Side side, boolean mayBeShut) {
    List<Step> steps = new ArrayList<>();
    for (int rank : moves.state(w).ranks()) {
      steps.add(
          new Step(
              "start-" + rank,
              "Start rank " + rank + " and probe it",
              x -> startRank(x, side, rank, mayBeShut)));
    }
    return steps;
  }

  /** Members whose machines are not started when they have landed, as it was when it was asked. */
  private Set<String> keptOff(Work w) {
    return w.once(
            MoveNotes.KEPT_OFF,
            () -> {
              TowState state = moves.state(w);
              List<Preflight.Result> places = services.db().tx(s -> Plans.place(s, state));
              Map<String, Boolean> off = new LinkedHashMap<>();
              for (int i = 0; i < places.size(); i++) {
                if (places.get(i).placement().keptOff()) {
                  off.put(state.members.get(i).id, true);
                }
              }
              return off;
            })
        .keySet();
  }

  /** For a dossier: which machines were not started, and who gets through to the others. */
  void tell(Work w, Map<String, Object> record) {
    letIn.tell(w, record);
    Set<String> off = keptOff(w);
    if (!off.isEmpty()) {
      record.put(
          "keptOff",
          moves.state(w).members.stream()
              .filter(m -> off.contains(m.id))
              .map(m -> m.name)
              .toList());
    }
  }

  private static String off(Work w, TowState state) {
    String names =
        state.members.stream()
            .filter(m -> w.notes().get(MoveNotes.KEPT_OFF, m.id).isPresent())
            .map(m -> m.name)
            .collect(joining(", "));
    return names.isEmpty() ? "" : ", with the power off of " + names;
  }

  private Outcome startRank(Work w, Side side, int rank, boolean mayBeShut) {
    TowState state = moves.state(w);
    Compute compute = moves.compute(state, side);
    Set<String> off = keptOff(w);
    Map<String, String> machines = w.need(MoveNotes.MACHINES);
    state.ofRank(rank).stream()
        .filter(m -> off.contains(m.id))
        .forEach(m -> compute.unfence(machines.get(m.id)));
    Outcome outcome =
        moves
            .starts()
            .together(
                w,
                state,
                side,
                rank,
                machines,
                off,
                compute,
                id -> {
                  compute.unfence(id);
                  compute.start(id);
                });
    if (!(outcome instanceof Outcome.Done healthy)) {
      return outcome;
    }
    Outcome reached =
        letIn.look(
            w,
            side,
            rank,
            state.ofRank(rank).stream().filter(m -> !off.contains(m.id)).toList(),
            compute,
            mayBeShut);
    if (!(reached instanceof Outcome.Done through)) {
      return reached;
    }
    w.put(MoveNotes.UP_AT, services.clock().instant());
    return through.detail().isEmpty()
        ? healthy
        : Outcome.done(healthy.detail() + "; " + through.detail());
  }

  /** Records that the machines run at a side now, on the clones of this run; closes the leg. */
  void land(Session s, Work w, Side winner) {
    TowState state = TowState.load(s, w.subjectId());
    state.tow.landed = winner == Side.AWAY;
    for (MemberEntity m : state.members) {
      Optional<Berth> before = TowState.berth(m, winner);
      List<String> previous = before.map(Berth::disks).orElse(List.of());
      String called = before.map(b -> b.nameOf(m.name)).orElse(called(w, m));
      List<String> clones = cloneNames(w, state, m);
      List<String> stay =
          before.map(b -> DiskOrder.staying(b, winner, clones.size())).orElse(List.of());
      List<String> disks = Stream.concat(clones.stream(), stay.stream()).toList();
      if (!previous.equals(disks)) {
        Berth landed =
            new Berth(
                w.need(MoveNotes.MACHINES).get(m.id),
                disks,
                previous,
                called.equals(m.name) ? "" : called,
                DiskOrder.having(
                    w,
                    m,
                    winner,
                    before,
                    before.map(b -> DiskOrder.known(w, m, b)).orElse(List.of()),
                    clones,
                    stay),
                winner == Side.AWAY ? Carrying.volumes(w, m) : Map.of());
        TowState.berth(m, winner, landed);
        if (winner == Side.HOME) {
          before.ifPresent(b -> TowState.follow(s, m, b, landed));
        }
      }
    }
    Refits.landed(s, w, state.members, winner);
    s.find(LegEntity.class, w.need(MoveNotes.LEG)).state = LegState.CLOSED;
    services
        .events()
        .tell(
            s,
            "landed",
            w.subjectId(),
            w.runId(),
            state.tow.name + " has landed at " + state.site(winner).name + off(w, state),
            null);
  }

  /**
   * Takes back what a run made at a side: machines, clones, tracking. Waits until every machine
   * that it started there is known to be off and gone, or back on its own disks and fenced, since
   * the next step may start it on the other side; or until a person declares the side lost. Should
   * that come back, what was started there is stopped before anything else.
   */
  Outcome undoTarget(Work w, Side side) {
    TowState state = moves.state(w);
    Optional<String> lost = Lost.by(services.db(), w.runId(), side);
    if (lost.isPresent()) {
      leaveBehind(w, state, side);
      return Outcome.done(state.site(side).name + " was declared lost by " + lost.get());
    }
    Optional<String> running = stopStarted(w, state, side);
    if (running.isPresent()) {
      return Outcome.waitFor(running.get());
    }
    for (MemberEntity m : state.members) {
      Optional<Berth> previous = w.notes().get(MoveNotes.PREVIOUS, m.id);
      if (previous.isPresent()) {
        Compute compute = moves.compute(state, side);
        Berth berth = previous.get();
        compute.stop(berth.platformId());
        giveBack(state, side, w.notes(), m, berth);
        compute.fence(berth.platformId());
      } else if (TowState.berth(m, side).isEmpty()) {
        Optional<String> left =
            services.ledger().remove(state.siteId(side), "machine", called(w, m));
        if (left.isPresent()) {
          return Outcome.waitFor(
              m.name + " can't be removed from " + state.site(side).name + ": " + left.get());
        }
      }
    }
    takeUpAgain(state, side, w.notes());
    disarm(w, side);
    dropClones(w, side);
    return Outcome.done("");
  }

  /** Leaves what was made at a side that is lost to the sweep, which sees to it if it is back. */
  private void leaveBehind(Work w, TowState state, Side side) {
    String site = state.siteId(side);
    for (MemberEntity m : state.members) {
      Optional<Berth> previous = w.notes().get(MoveNotes.PREVIOUS, m.id);
      if (previous.isPresent()) {
        if (!services.ledger().recorded(site, "started", previous.get().platformId())) {
          services.ledger().plan(site, w.subjectId(), "started", previous.get().platformId());
        }
        services.ledger().remove(site, "started", previous.get().platformId());
      } else if (TowState.berth(m, side).isEmpty()) {
        services.ledger().remove(site, "machine", called(w, m));
      }
    }
    disarm(w, side);
    dropClones(w, side);
  }

  /** Stops what this run started at a side; gives what may still run there. */
  private Optional<String> stopStarted(Work w, TowState state, Side side) {
    for (MemberEntity m : state.stopOrder()) {
      Optional<String> machine = w.notes().get(MoveNotes.MACHINES, m.id);
      if (machine.isPresent() && w.has(MoveNotes.rank(m.rank))) {
        try {
          moves.compute(state, side).stop(machine.get());
        } catch (SiteException e) {
          if (!e.code().equals("missing")) {
            return Optional.of(
                m.name
                    + " may still run at "
                    + state.site(side).name
                    + " and starts nowhere else until it is off: "
                    + e.getMessage());
          }
        }
      }
    }
    return Optional.empty();
  }
}
