package bargelane.service.move;

import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory;
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

  Landing(Services services, Moves moves, Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.carrying = carrying;
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
        p.licence(),
        p.bootProtection(),
        disks,
        p.nics(),
        p.ingressOf(f.ingress()),
        Plans.probe(m).port(),
        labels);
  }

  /** Makes the machines at a side from the plan, or gives those that stand there the clones. */
  Outcome define(Work w, Side side) {
    TowState state = moves.state(w);
    carrying.arriving(w, side);
    var results = side == Side.AWAY ? services.db().tx(s -> Plans.hold(s, state)) : null;
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      List<String> disks = cloneNames(w, state, m);
      Optional<Berth> berth = TowState.berth(m, side);
      Compute compute = moves.compute(state, side);
      if (berth.isPresent()) {
        if (w.notes().get(MoveNotes.PREVIOUS, m.id).isEmpty()) {
          w.put(MoveNotes.PREVIOUS, m.id, berth.get());
        }
        List<String> stay = staying(berth.get(), side, disks.size());
        setAside(
            state,
            side,
            berth.get().disks().stream()
                .filter(d -> !disks.contains(d) && !stay.contains(d))
                .toList(),
            w);
        compute.attach(
            berth.get().platformId(),
            having(w, m, side, berth, order(w, state, side, m, berth.get()), disks, stay));
        w.put(MoveNotes.MACHINES, m.id, berth.get().platformId());
      } else {
        Placement placement = results.get(i).placement();
        if (w.notes().get(MoveNotes.CALLED, m.id).isEmpty()) {
          w.put(MoveNotes.CALLED, m.id, placement.nameOf(m.name));
        }
        String name = called(w, m);
        String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "machine", name);
        List<String> all = having(w, m, side, berth, List.of(), disks, List.of());
        String id = compute.define(spec(name, owner, m, Plans.facts(state, m), placement, all));
        w.put(MoveNotes.MACHINES, m.id, id);
      }
    }
    return Outcome.done(String.join(", ", state.members.stream().map(m -> m.name).toList()));
  }

  /**
   * Disks that a machine has at its source beyond those that come back: they never left, since the
   * point that landed elsewhere was older than they are.
   */
  private static List<String> staying(Berth berth, Side side, int back) {
    List<String> disks = berth.disks();
    return side == Side.HOME && back < disks.size() ? disks.subList(back, disks.size()) : List.of();
  }

  /** Volumes that a machine has before this run gives it others, in its order. */
  private List<String> order(Work w, TowState state, Side side, MemberEntity m, Berth berth) {
    Optional<List<String>> noted = w.notes().get(MoveNotes.ORDER, m.id);
    if (noted.isPresent()) {
      return noted.get();
    }
    List<String> now =
        moves.compute(state, side).machine(berth.platformId()).disks().stream()
            .map(Inventory.Disk::volume)
            .toList();
    List<String> order =
        now.containsAll(berth.disks())
            ? now
            : berth.all().stream()
                .filter(v -> berth.disks().contains(v) || now.contains(v))
                .toList();
    w.put(MoveNotes.ORDER, m.id, order);
    return order;
  }

  /**
   * What a machine has when its disks come back, each in the place of the one that it follows. What
   * is not copied stays where it is.
   *
   * @param order what it has before
   * @param copied those of it that are copied
   * @param back the disks that come back
   * @param stay those that are copied and never left
   */
  static List<String> attached(
      List<String> order, List<String> copied, List<String> back, List<String> stay) {
    List<String> all = new ArrayList<>();
    for (String volume : order) {
      int disk = copied.indexOf(volume);
      if (disk >= 0 && disk < back.size()) {
        all.add(back.get(disk));
      } else if (disk < 0 || stay.contains(volume)) {
        all.add(volume);
      }
    }
    all.addAll(back.subList(Math.min(back.size(), copied.size()), back.size()));
    return all;
  }

  /**
   * All that a machine has after a landing: clones, what stays, and what a storage system carried.
   *
   * @param before its berth there; none if it is made
   * @param order what it has before
   */
  private static List<String> having(
      Work w,
      MemberEntity m,
      Side side,
      Optional<Berth> before,
      List<String> order,
      List<String> clones,
      List<String> stay) {
    Map<String, String> carried = side == Side.AWAY ? Carrying.volumes(w, m) : Map.of();
    List<String> all =
        before
            .map(b -> attached(withoutFormer(order, b, carried), b.disks(), clones, stay))
            .orElse(clones);
    return carried.isEmpty() ? all : withCarried(m, all, clones, carried);
  }

  /** Without what was carried to a machine at its landing before, and is not any more. */
  private static List<String> withoutFormer(
      List<String> order, Berth before, Map<String, String> carried) {
    return order.stream()
        .filter(v -> !before.carried().containsValue(v) || carried.containsValue(v))
        .toList();
  }

  /** A machine's disks with those that are carried in their places among its clones. */
  static List<String> withCarried(
      MemberEntity m, List<String> all, List<String> clones, Map<String, String> carried) {
    Berth home = TowState.berth(m, Side.HOME).orElseThrow();
    Map<String, String> copies = new HashMap<>();
    for (int i = 0; i < Math.min(clones.size(), home.disks().size()); i++) {
      copies.put(home.disks().get(i), clones.get(i));
    }
    return Carrying.with(all, home.all(), copies, carried);
  }

  /** Gives a machine the disks again that it had before a landing. */
  void giveBack(TowState state, Side side, Notes landing, MemberEntity m, Berth before) {
    moves
        .compute(state, side)
        .attach(before.platformId(), landing.get(MoveNotes.ORDER, m.id).orElse(before.all()));
  }

  /** What a machine had before, without what was attached to it and nobody decided about. */
  private static List<String> known(Work w, MemberEntity m, Berth before) {
    return w.notes().get(MoveNotes.ORDER, m.id).orElse(before.all()).stream()
        .filter(before.all()::contains)
        .toList();
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
    List<Step> steps = new ArrayList<>();
    for (int rank : moves.state(w).ranks()) {
      steps.add(
          new Step(
              "start-" + rank,
              "Start rank " + rank + " and probe it",
              x -> startRank(x, side, rank)));
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

  /** For a dossier: which machines were not started. */
  void tell(Work w, Map<String, Object> record) {
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

  private Outcome startRank(Work w, Side side, int rank) {
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
    if (outcome instanceof Outcome.Done) {
      w.put(MoveNotes.UP_AT, services.clock().instant());
    }
    return outcome;
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
      List<String> stay = before.map(b -> staying(b, winner, clones.size())).orElse(List.of());
      List<String> disks = Stream.concat(clones.stream(), stay.stream()).toList();
      if (!previous.equals(disks)) {
        Berth landed =
            new Berth(
                w.need(MoveNotes.MACHINES).get(m.id),
                disks,
                previous,
                called.equals(m.name) ? "" : called,
                having(
                    w,
                    m,
                    winner,
                    before,
                    before.map(b -> known(w, m, b)).orElse(List.of()),
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
            state.tow.name + " runs at " + state.site(winner).name,
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
