package bargelane.service.move;

import bargelane.core.lane.Placement;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Preflight;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.site.NameRule;
import bargelane.core.wave.ProbePlan;
import bargelane.core.wave.Proof;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Json;
import bargelane.service.platform.SettingEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassDisk;
import bargelane.service.replication.PassEntity;
import bargelane.service.replication.PassNotes;
import bargelane.service.replication.Passes;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.sites.Compute;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * A test cutover: clones of a recovery point, tallied block by block against what the source held,
 * started in an isolated network and probed, while passes go on. Whatever becomes of it, every
 * trace is removed.
 */
final class TestRun implements RunKind {

  private final Services services;
  private final Moves moves;
  private final Landing landings;
  private final Refits refits;
  private final TargetCheck target;
  private final Carrying carrying;

  TestRun(
      Services services,
      Moves moves,
      Landing landings,
      Refits refits,
      TargetCheck target,
      Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.landings = landings;
    this.refits = refits;
    this.target = target;
    this.carrying = carrying;
  }

  @Override
  public String name() {
    return "test";
  }

  @Override
  public boolean leavesNothingToOthers() {
    return true;
  }

  @Override
  public List<Step> steps(Work work) {
    List<Step> steps = new ArrayList<>();
    steps.add(new Step("room", "See that the disks fit", w -> target.roomForPoint(w, side(w))));
    steps.add(new Step("clone", "Clone the point", this::clone));
    steps.add(new Step("tally", "Compare every block with what the source held", this::tally));
    steps.add(new Step("isolate", "Make the isolated networks", this::isolate));
    steps.add(new Step("define", "Make the machines", this::define));
    steps.add(new Step("refit", "Refit the guests", w -> refits.apply(w, side(w))));
    for (int rank : moves.state(work).ranks()) {
      steps.add(
          new Step("start-" + rank, "Start rank " + rank + " and probe it", w -> start(w, rank)));
    }
    steps.add(new Step("record", "Record what was proven", this::record));
    if (work.input().path("hold").asBoolean(false)) {
      steps.add(new Step("hold", "Held for a look around", this::hold));
    }
    steps.add(new Step("clean", "Remove every trace", this::clean));
    steps.add(new Step("dossier", "Write the dossier", this::dossier));
    return steps;
  }

  @Override
  public List<Step> backOut(Work work) {
    Step clean = new Step("clean", "Remove every trace", this::clean);
    // A test that a person stopped proved nothing, neither that it works nor that it does not.
    return work.problem().filter(p -> p.code().equals(RunEngine.STOPPED)).isPresent()
        ? List.of(clean)
        : List.of(new Step("record", "Record that the test failed", this::recordFailure), clean);
  }

  private Side side(Work w) {
    return w.once(MoveNotes.SIDE, () -> TowState.source(moves.leg(w)).other());
  }

  private static String suffix(Work w) {
    return w.runId().substring(w.runId().indexOf('-') + 1);
  }

  /**
   * What the machines of the test are called: names that the site takes, of which no two are one.
   */
  private Map<String, String> names(Work w, TowState state) {
    return w.once(
        MoveNotes.CALLED,
        () -> {
          NameRule rule =
              services
                  .db()
                  .tx(
                      s ->
                          new Inventories(s).maybe(s.find(SiteEntity.class, state.siteId(side(w)))))
                  .map(i -> i.offers().names())
                  .orElse(NameRule.ANY);
          Map<String, String> names = new LinkedHashMap<>();
          for (MemberEntity m : state.members) {
            String name = rule.fit(m.name, "-test-" + suffix(w));
            names.put(
                m.id,
                names.containsValue(name)
                    ? rule.fit(m.name, "-" + names.size() + "-test-" + suffix(w))
                    : name);
          }
          return names;
        });
  }

  /**
   * What is tried of each member, as it was planned when it was asked for first: a plan that
   * changes while the test runs is not what the test proves.
   */
  private Map<String, Proof> tried(Work w, TowState state) {
    return w.once(
        MoveNotes.TRIED,
        () -> {
          List<Preflight.Result> places = services.db().tx(s -> Plans.hold(s, state));
          Map<String, Proof> tried = new LinkedHashMap<>();
          for (int i = 0; i < state.members.size(); i++) {
            MemberEntity m = state.members.get(i);
            tried.put(m.id, Plans.proof(state, m, places.get(i).placement()));
          }
          return tried;
        });
  }

  private Outcome tally(Work w) {
    TowState state = moves.state(w);
    PointEntity point = moves.point(w);
    String passId =
        w.makeOnce(
            MoveNotes.TALLY,
            s ->
                Passes.create(
                        s,
                        services.clock(),
                        w.runId(),
                        w.subjectId(),
                        null,
                        0,
                        PassKind.TALLY,
                        false)
                    .id);
    services
        .passes()
        .offer(
            passId,
            pass -> {
              List<PassDisk> disks = new ArrayList<>();
              for (PointVolume v : PointVolume.of(point)) {
                MemberEntity m =
                    state.members.stream()
                        .filter(x -> x.id.equals(v.memberId()))
                        .findFirst()
                        .orElseThrow();
                disks.add(
                    PassDisk.tally(
                        disks.size(),
                        m.id,
                        m.name,
                        v.disk(),
                        new PassDisk.From(
                            state.siteId(side(w)), landings.cloneName(w, m, v.disk()), "", "", ""),
                        v.digestsIn(point),
                        Plans.facts(state, m).disks().get(v.disk()).bytes()));
              }
              pass.disks = Json.text(disks);
            });
    Outcome outcome = services.passes().shipped(passId);
    if (outcome instanceof Outcome.Done) {
      services.passes().seal(passId);
      PassEntity pass = services.db().tx(s -> s.find(PassEntity.class, passId));
      List<PassDisk> differing = Passes.disks(pass).stream().filter(d -> d.moved() > 0).toList();
      long differ = differing.stream().mapToLong(PassDisk::moved).sum();
      if (!services.db().tx(s -> Tows.doubt(s, point.legId, differing))) {
        return Outcome.waitFor("some blocks differ; the pass that is under way ends first");
      }
      close(passId, PassState.COMPLETE);
      w.put(MoveNotes.TALLY_DIFFERS, differ);
      if (differ > 0) {
        throw new RunFailure(
            "tally-differs",
            differ
                + " bytes of the clones differ from the digests of point "
                + point.number
                + ", on "
                + differing.stream()
                    .map(d -> "disk " + d.disk() + " of " + d.machine())
                    .collect(Collectors.joining(", ")),
            "the next pass compares all of these disks with the source and mends them; then test its"
                + " point. Look at the target's storage: it has not kept what was written");
      }
      w.put(MoveNotes.TALLIED, pass.total);
      return Outcome.done(Sizes.text(pass.total) + " compared, no block differs");
    }
    return outcome;
  }

  private void close(String passId, PassState state) {
    services
        .db()
        .run(
            s -> {
              PassEntity pass = s.find(PassEntity.class, passId);
              if (pass.endedAt == null) {
                Passes.close(pass, state, services.clock().instant());
              }
            });
  }

  private Outcome clone(Work w) {
    carrying.copy(w, side(w));
    return landings.cloneVolumes(w, side(w));
  }

  private Outcome isolate(Work w) {
    TowState state = moves.state(w);
    Set<String> subnets = new LinkedHashSet<>();
    if (side(w) == Side.AWAY) {
      tried(w, state)
          .values()
          .forEach(t -> t.placement().nics().forEach(n -> subnets.add(n.network())));
    } else {
      state.members.forEach(
          m -> Plans.facts(state, m).nics().forEach(n -> subnets.add(n.network())));
    }
    for (String subnet : subnets) {
      String name = "test-" + suffix(w) + "-" + subnet;
      String owner = services.ledger().plan(state.siteId(side(w)), w.subjectId(), "network", name);
      String id = moves.compute(state, side(w)).isolate(name, subnet, owner);
      w.put(MoveNotes.NETWORKS, subnet, id);
    }
    return Outcome.done(subnets.size() + " subnets copied, reaching nothing else");
  }

  private Outcome define(Work w) {
    TowState state = moves.state(w);
    Map<String, Proof> tried = tried(w, state);
    for (MemberEntity m : state.members) {
      String name = names(w, state).get(m.id);
      String owner = services.ledger().plan(state.siteId(side(w)), w.subjectId(), "machine", name);
      Placement plan =
          side(w) == Side.AWAY
              ? tried.get(m.id).placement()
              : new Placement(
                  "",
                  Plans.facts(state, m).nics().stream()
                      .map(n -> new PlacedNic(n.network(), n.address(), true, n.mac()))
                      .toList(),
                  List.of(),
                  "");
      List<PlacedNic> nics =
          plan.nics().stream()
              .map(
                  n ->
                      new PlacedNic(
                          w.need(MoveNotes.NETWORKS).get(n.network()),
                          n.address(),
                          n.kept(),
                          n.mac()))
              .toList();
      Placement isolated = plan.with(nics);
      String id =
          moves
              .compute(state, side(w))
              .define(
                  landings.spec(
                      name,
                      owner,
                      m,
                      Plans.facts(state, m),
                      isolated,
                      DiskOrder.withCarried(
                          m,
                          landings.cloneNames(w, state, m),
                          landings.cloneNames(w, state, m),
                          Carrying.copies(w, m))));
      w.put(MoveNotes.MACHINES, m.id, id);
    }
    return Outcome.done("");
  }

  private Outcome start(Work w, int rank) {
    TowState state = moves.state(w);
    Compute compute = moves.compute(state, side(w));
    return moves
        .starts()
        .together(
            w, state, side(w), rank, w.need(MoveNotes.MACHINES), Set.of(), compute, compute::start);
  }

  private Outcome record(Work w) {
    record(w, true);
    return Outcome.done("the plan that it began with is proven");
  }

  private Outcome recordFailure(Work w) {
    record(w, false);
    return Outcome.done("");
  }

  /** Keeps with each machine what was tested, and how it went. */
  private void record(Work w, boolean passed) {
    TowState state = moves.state(w);
    Map<String, Proof> tried = tried(w, state);
    Map<String, ProbePlan> answered = w.get(MoveNotes.ANSWERED).orElse(Map.of());
    String at = services.clock().instant().toString();
    services
        .db()
        .run(
            s -> {
              for (MemberEntity member : state.members) {
                MemberEntity m = s.find(MemberEntity.class, member.id);
                Proof plan = tried.get(m.id);
                Proof proof = plan.by(answered.getOrDefault(m.id, plan.probe()));
                m.test = Json.text(new Plans.Test(passed, at, w.runId(), proof));
              }
              if (passed) {
                services
                    .events()
                    .tell(
                        s,
                        "proven",
                        w.subjectId(),
                        w.runId(),
                        state.tow.name + " passed its test cutover",
                        null);
              }
            });
  }

  /** Waits until somebody finishes it. */
  private Outcome hold(Work w) {
    boolean finished =
        services.db().tx(s -> s.find(SettingEntity.class, MoveDesk.finished(w.runId())) != null);
    return finished
        ? Outcome.done("finished by hand")
        : Outcome.waitFor("held until it is finished");
  }

  private Outcome clean(Work w) {
    TowState state = moves.state(w);
    String site = state.siteId(side(w));
    w.get(MoveNotes.TALLY)
        .ifPresent(
            passId -> {
              services.passes().abandon(passId, "given-up", "the test is over");
              close(passId, PassState.FAILED);
            });
    names(w, state).values().forEach(n -> services.ledger().remove(site, "machine", n));
    w.get(MoveNotes.NETWORKS)
        .orElse(Map.of())
        .keySet()
        .forEach(
            subnet ->
                services.ledger().remove(site, "network", "test-" + suffix(w) + "-" + subnet));
    landings.dropClones(w, side(w));
    carrying.dropCopies(w, side(w));
    return Outcome.done("");
  }

  private Outcome dossier(Work w) {
    PointEntity point = services.db().tx(s -> s.find(PointEntity.class, w.need(PassNotes.POINT)));
    Map<String, Object> record = new LinkedHashMap<>();
    record.put("kind", "test");
    record.put("at", moves.state(w).site(side(w)).name);
    record.put("startedBy", w.startedBy());
    record.put("point", point == null ? w.get(PassNotes.POINT).orElse("") : point.number);
    carrying.tell(w, record);
    record.put("tallyBytes", w.get(MoveNotes.TALLIED).orElse(0L));
    record.put("tallyDiffers", w.get(MoveNotes.TALLY_DIFFERS).orElse(0L));
    moves.dossier(w, "test", record);
    return Outcome.done("");
  }
}
