package bargelane.service.wave;

import bargelane.api.AssessmentAccept;
import bargelane.api.ConfirmRequest;
import bargelane.api.CutoverRequest;
import bargelane.api.FailoverRequest;
import bargelane.api.ReconcileRequest;
import bargelane.api.RefitView;
import bargelane.api.RefitWord;
import bargelane.api.RunView;
import bargelane.api.SizeChoice;
import bargelane.api.TestRequest;
import bargelane.api.TimetableAdd;
import bargelane.api.TimetableView;
import bargelane.api.WaveAdd;
import bargelane.api.WaveMachine;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.wave.Gate;
import bargelane.core.wave.Timetable;
import bargelane.service.Services;
import bargelane.service.account.SettingEntity;
import bargelane.service.assess.SizeChoices;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Json;
import bargelane.service.http.ProblemException;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.site.MachineEntity;
import bargelane.service.site.Machines;
import bargelane.service.site.Sites;
import java.time.Duration;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/**
 * Waves: planning them, and asking for the work on them. What a request may not do is refused
 * before a run begins.
 */
public final class Waves {

  private final Services services;
  private final WaveViews views;
  private final SizeChoices sizes;

  public Waves(Services services, WaveViews views, SizeChoices sizes) {
    this.services = services;
    this.views = views;
    this.sizes = sizes;
  }

  public static WaveEntity find(Session s, String ref) {
    return Db.first(s, WaveEntity.class, "from WaveEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("wave", ref));
  }

  static TowEntity tow(Session s, WaveEntity wave) {
    return Db.first(s, TowEntity.class, "from TowEntity where waveId = ?1", wave.id).orElseThrow();
  }

  // ---- timetables

  public TimetableView addTimetable(TimetableAdd t) {
    Sites.name("timetable", t.name());
    try {
      Timetable valid =
          new Timetable(
              Duration.ofSeconds(t.everySeconds()),
              Duration.ofSeconds(t.rpoSeconds()),
              t.keepPoints(),
              t.verify() == null || t.verify(),
              t.quiesce() == null || t.quiesce());
      return services
          .db()
          .tx(
              s -> {
                Sites.unused(s, "TimetableEntity", "timetable", t.name());
                TimetableEntity e = new TimetableEntity();
                e.id = Ids.next("tt");
                e.name = t.name();
                e.everySeconds = (int) valid.every().toSeconds();
                e.rpoSeconds = (int) valid.rpo().toSeconds();
                e.keepPoints = valid.keepPoints();
                e.verify = valid.verify();
                e.quiesce = valid.quiesce();
                s.persist(e);
                return view(e);
              });
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid("timetable-impossible", e.getMessage(), "change the figures");
    }
  }

  private static TimetableView view(TimetableEntity e) {
    return new TimetableView(
        e.id, e.name, e.everySeconds, e.rpoSeconds, e.keepPoints, e.verify, e.quiesce);
  }

  public List<TimetableView> timetables() {
    return services
        .db()
        .tx(
            s ->
                Db.list(s, TimetableEntity.class, "from TimetableEntity order by name").stream()
                    .map(Waves::view)
                    .toList());
  }

  // ---- planning

  public String add(WaveAdd asked) {
    Sites.name("wave", asked.name());
    if (asked.machines() == null || asked.machines().isEmpty()) {
      throw ProblemException.invalid(
          "machines-missing",
          "wave " + asked.name() + " has no machines",
          "name at least one with its rank: --machine NAME=RANK");
    }
    return services
        .db()
        .tx(
            s -> {
              Sites.unused(s, "WaveEntity", "wave", asked.name());
              LaneEntity lane = Lanes.find(s, String.valueOf(asked.lane()));
              TimetableEntity timetable =
                  Db.first(
                          s,
                          TimetableEntity.class,
                          "from TimetableEntity where id = ?1 or name = ?1",
                          String.valueOf(asked.timetable()))
                      .orElseThrow(() -> ProblemException.missing("timetable", asked.timetable()));
              WaveEntity wave = new WaveEntity();
              wave.id = Ids.next("wave");
              wave.name = asked.name();
              wave.laneId = lane.id;
              wave.timetableId = timetable.id;
              wave.createdAt = services.clock().instant();
              s.persist(wave);
              TowEntity tow = new TowEntity();
              tow.id = Ids.next("tow");
              tow.waveId = wave.id;
              s.persist(tow);
              s.flush();
              Set<String> seen = new HashSet<>();
              for (WaveMachine m : asked.machines()) {
                addMember(s, lane, tow, m, seen);
              }
              services
                  .events()
                  .tell(s, "wave", tow.id, null, "wave " + wave.name + " planned", null);
              return wave.id;
            });
  }

  private static void addMember(
      Session s, LaneEntity lane, TowEntity tow, WaveMachine asked, Set<String> seen) {
    MachineEntity machine = Machines.find(s, asked.machine());
    if (!seen.add(machine.id)) {
      throw ProblemException.invalid(
          "machine-twice", machine.name + " is named twice", "name it once");
    }
    if (!machine.siteId.equals(lane.fromSiteId)) {
      throw ProblemException.invalid(
          "machine-elsewhere",
          machine.name + " is not at the site where lane " + lane.name + " begins",
          "choose a lane from its site");
    }
    if (!Db.list(s, Object.class, "from MemberEntity where machineId = ?1 and open", machine.id)
        .isEmpty()) {
      throw ProblemException.conflict(
          "machine-in-wave",
          machine.name + " is in another open wave",
          "settle or remove that wave first");
    }
    if (asked.rank() < 1 || asked.rank() > 99) {
      throw ProblemException.invalid(
          "rank-malformed",
          "rank " + asked.rank() + " of " + machine.name,
          "ranks go from 1 to 99");
    }
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    MemberEntity member = new MemberEntity();
    member.id = Ids.next("mem");
    member.towId = tow.id;
    member.machineId = machine.id;
    member.name = machine.name;
    member.rank = asked.rank();
    Optional<SizeChoices.Accepted> size = SizeChoices.accepted(s, machine.id, lane.toSiteId);
    member.size = size.map(SizeChoices.Accepted::size).orElse("");
    member.sizeBasis = size.map(SizeChoices.Accepted::basis).orElse("");
    member.home =
        Json.text(
            new Berth(
                facts.platformId(),
                facts.disks().stream().map(Inventory.Disk::volume).toList(),
                List.of()));
    member.open = true;
    s.persist(member);
  }

  /** Removes a wave that never moved a byte. */
  public void remove(String ref) {
    services
        .db()
        .run(
            s -> {
              WaveEntity wave = find(s, ref);
              TowEntity tow = tow(s, wave);
              if (!Db.list(s, Object.class, "from LegEntity where towId = ?1", tow.id).isEmpty()) {
                throw ProblemException.conflict(
                    "wave-in-use",
                    "wave " + wave.name + " has replicas",
                    "settle it instead: bargelane wave settle " + wave.name);
              }
              Db.change(s, "delete from MemberEntity where towId = ?1", tow.id);
              s.createNativeMutationQuery(
                      "delete from step where run_id in (select id from run where tow_id = ?1)")
                  .setParameter(1, tow.id)
                  .executeUpdate();
              Db.change(s, "delete from RunEntity where towId = ?1", tow.id);
              s.remove(tow);
              s.remove(wave);
            });
  }

  /** Chooses a machine's size: by hand, or as an assessment found it. */
  public void size(String ref, SizeChoice choice, String by) {
    if (choice.assessment() != null && !choice.assessment().isEmpty()) {
      String target = state(ref).away.name;
      services.db().run(s -> member(TowState.load(s, tow(s, find(s, ref)).id), choice.machine()));
      sizes.accept(
          choice.assessment(), target, new AssessmentAccept(0, "", List.of(choice.machine())), by);
      return;
    }
    services
        .db()
        .run(
            s -> {
              TowEntity tow = tow(s, find(s, ref));
              TowState state = TowState.load(s, tow.id);
              MemberEntity member = member(state, choice.machine());
              Inventory away = Sites.inventory(state.away);
              if (away.size(String.valueOf(choice.size())).isEmpty()) {
                throw ProblemException.invalid(
                    "size-not-offered",
                    state.away.name + " does not offer size " + choice.size(),
                    "choose one of " + away.sizes().stream().map(Inventory.Size::id).toList());
              }
              member.size = choice.size();
              member.sizeBasis = "by hand";
            });
  }

  private static MemberEntity member(TowState state, String machine) {
    return state.members.stream()
        .filter(m -> m.name.equals(machine) || m.machineId.equals(machine))
        .findFirst()
        .orElseThrow(() -> ProblemException.missing("machine", machine));
  }

  // ---- work

  private RunView start(
      String kind, String title, TowState state, Object input, boolean changes, String by) {
    String id =
        services
            .db()
            .tx(
                s ->
                    services
                        .runs()
                        .start(
                            s,
                            new RunEngine.Start(
                                kind,
                                title + " " + state.wave.name,
                                state.tow.id,
                                null,
                                null,
                                input,
                                changes ? state.machineIds() : List.of(),
                                by)));
    services.runs().wake(id);
    return services.db().tx(s -> Runs.view(s, s.find(RunEntity.class, id)));
  }

  private TowState state(String ref) {
    return services.db().tx(s -> TowState.load(s, tow(s, find(s, ref)).id));
  }

  private static void confirmed(TowState state, String typed) {
    if (!state.wave.name.equals(typed)) {
      throw ProblemException.invalid(
          "not-confirmed",
          "this changes machines in production and '"
              + typed
              + "' is not the name of wave "
              + state.wave.name,
          "type the wave's name: --confirm " + state.wave.name);
    }
  }

  private static void open(TowState state) {
    if (state.wave.settledAt != null) {
      throw ProblemException.conflict(
          "wave-settled",
          "wave " + state.wave.name + " was settled on " + state.wave.settledAt,
          "plan a new wave for its machines");
    }
  }

  private static void protectedNow(TowState state) {
    open(state);
    if (state.tow.diverged) {
      throw ProblemException.conflict(
          "sides-diverged",
          "wave " + state.wave.name + " failed over and its sides may differ",
          "bring them together first: bargelane wave reconcile " + state.wave.name);
    }
    if (state.leg.isEmpty()) {
      throw ProblemException.conflict(
          "not-loaded",
          "wave " + state.wave.name + " is not replicated",
          "bargelane wave load " + state.wave.name);
    }
  }

  public RunView load(String ref, String by) {
    TowState state = state(ref);
    open(state);
    if (state.tow.diverged) {
      protectedNow(state);
    }
    if (state.leg.map(l -> l.state.equals("open")).orElse(false)) {
      throw ProblemException.conflict(
          "already-loaded",
          "wave " + state.wave.name + " is replicated by its timetable already",
          "look at it: bargelane wave show " + state.wave.name);
    }
    Plans.place(state).stream()
        .flatMap(r -> r.findings().stream())
        .filter(f -> f.code().text().startsWith("storage"))
        .findFirst()
        .ifPresent(
            f -> {
              throw ProblemException.conflict(
                  "not-mapped", f.thing() + ": " + f.cause(), f.remedy());
            });
    return start("load", "Load", state, Map.of(), false, by);
  }

  public RunView test(String ref, TestRequest asked, String by) {
    TowState state = state(ref);
    protectedNow(state);
    if (TowState.source(state.leg.get()) == Side.HOME) {
      blockedBy(state, Set.of(Gate.FOUND, Gate.SIZED, Gate.MAPPED, Gate.LADEN));
    }
    return start(
        "test",
        "Test cutover of",
        state,
        Map.of("point", text(asked.point()), "hold", asked.hold() != null && asked.hold()),
        false,
        by);
  }

  /** Looks into the guests for what a refit would change. */
  public RunView refit(String ref, String by) {
    TowState state = state(ref);
    protectedNow(state);
    return start("refit", "Look into the guests of", state, Map.of(), false, by);
  }

  /** What the last look found, machine by machine. */
  public List<RefitView> refits(String ref) {
    return Refits.views(state(ref));
  }

  /** Takes or, with an empty reason, takes back the engineer's word for a machine. */
  public List<RefitView> refitWord(String ref, RefitWord word, String by) {
    TowState state = state(ref);
    MemberEntity member =
        state.members.stream()
            .filter(m -> m.name.equals(word.machine()) || m.machineId.equals(word.machine()))
            .findFirst()
            .orElseThrow(() -> ProblemException.missing("machine", word.machine()));
    String reason = text(word.reason()).strip();
    services
        .db()
        .run(
            s -> {
              s.find(MemberEntity.class, member.id).refitWord =
                  reason.isEmpty() ? "" : by + ": " + reason;
              services
                  .events()
                  .tell(
                      s,
                      "refit",
                      state.tow.id,
                      null,
                      reason.isEmpty()
                          ? member.name + ": the word for it is taken back"
                          : member.name + " may move without a refit, says " + by + ": " + reason,
                      null);
            });
    return refits(ref);
  }

  private static String text(String value) {
    return value == null ? "" : value;
  }

  /** Refuses while one of the gates is shut, naming the first finding. */
  private void blockedBy(TowState state, Set<Gate> gates) {
    for (var member : services.db().tx(s -> views.gates(s, state)).entrySet()) {
      for (Gate.State g : member.getValue()) {
        if (gates.contains(g.gate()) && !g.open()) {
          var f = g.shutBy().get(0);
          throw ProblemException.conflict(
              "gate-shut",
              "gate '"
                  + g.gate().word()
                  + "' of "
                  + member.getKey().name
                  + " is shut: "
                  + f.cause(),
              f.remedy());
        }
      }
    }
  }

  public RunView cutover(String ref, CutoverRequest asked, String by) {
    TowState state = state(ref);
    protectedNow(state);
    if (state.tow.landed) {
      throw ProblemException.conflict(
          "already-landed",
          "the machines of wave " + state.wave.name + " run at " + state.away.name,
          "bring them back: bargelane wave failback " + state.wave.name);
    }
    if (text(asked.override()).isBlank()) {
      blockedBy(
          state,
          Set.of(Gate.FOUND, Gate.SIZED, Gate.MAPPED, Gate.LADEN, Gate.IN_STEP, Gate.PROVEN));
    } else {
      blockedBy(state, Set.of(Gate.FOUND, Gate.SIZED, Gate.MAPPED, Gate.LADEN));
    }
    confirmed(state, asked.confirm());
    return start(
        "cutover", "Cutover of", state, Map.of("override", text(asked.override())), true, by);
  }

  public RunView failback(String ref, CutoverRequest asked, String by) {
    TowState state = state(ref);
    protectedNow(state);
    if (!state.tow.landed) {
      throw ProblemException.conflict(
          "not-landed",
          "the machines of wave " + state.wave.name + " run at " + state.home.name,
          "there is nothing to bring back");
    }
    if (text(asked.override()).isBlank()) {
      blockedBy(state, Set.of(Gate.IN_STEP));
    }
    confirmed(state, asked.confirm());
    return start(
        "failback", "Failback of", state, Map.of("override", text(asked.override())), true, by);
  }

  public RunView failover(String ref, FailoverRequest asked, String by) {
    TowState state = state(ref);
    protectedNow(state);
    boolean none = services.db().tx(s -> TowState.newestPoint(s, state.leg.get())).isEmpty();
    if (none) {
      throw ProblemException.conflict(
          "no-point",
          "wave " + state.wave.name + " has no complete recovery point",
          "there is nothing to start; wait for a pass if the source still runs");
    }
    confirmed(state, asked.confirm());
    return start(
        "failover",
        "Failover of",
        state,
        Map.of(
            "point",
            text(asked.point()),
            "sourceLost",
            asked.sourceLost() != null && asked.sourceLost()),
        true,
        by);
  }

  public RunView reconcile(String ref, ReconcileRequest asked, String by) {
    TowState state = state(ref);
    open(state);
    if (!state.tow.diverged) {
      throw ProblemException.conflict(
          "not-diverged",
          "the sides of wave " + state.wave.name + " did not diverge",
          "nothing is to be done");
    }
    String keep = text(asked.keep());
    if (!keep.isEmpty()) {
      if (!List.of(state.home.name, state.home.id, state.away.name, state.away.id).contains(keep)) {
        throw ProblemException.invalid(
            "site-not-of-lane",
            "'" + keep + "' is no end of the wave's lane",
            "keep " + state.home.name + " or " + state.away.name);
      }
      confirmed(state, asked.confirm());
    }
    return start("reconcile", "Reconciliation of", state, Map.of("keep", keep), true, by);
  }

  public RunView undo(String ref, ConfirmRequest asked, String by) {
    TowState state = state(ref);
    protectedNow(state);
    if (services.db().tx(s -> UndoRun.landing(s, state.tow.id, state.leg.get().id)).isEmpty()) {
      throw ProblemException.conflict(
          "nothing-to-undo",
          "the last move of wave " + state.wave.name + " can't be taken back",
          state.tow.landed
              ? "fail back instead: bargelane wave failback " + state.wave.name
              : "nothing is to be done");
    }
    confirmed(state, asked.confirm());
    return start("undo", "Undoing the last move of", state, Map.of(), true, by);
  }

  public RunView settle(String ref, ConfirmRequest asked, String by) {
    TowState state = state(ref);
    open(state);
    if (state.tow.diverged) {
      protectedNow(state);
    }
    confirmed(state, asked.confirm());
    return start("settle", "Settling of", state, Map.of(), true, by);
  }

  /** Ends a test that is held for a look around. */
  public void finish(String runId) {
    services
        .db()
        .run(
            s -> {
              RunEntity run =
                  Optional.ofNullable(s.find(RunEntity.class, runId))
                      .orElseThrow(() -> ProblemException.missing("run", runId));
              if (!run.kind.equals("test") || run.endedAt != null) {
                throw ProblemException.conflict(
                    "not-held",
                    "run " + runId + " is not a test that is held",
                    "list them: bargelane run list");
              }
              if (s.find(SettingEntity.class, "finish-" + runId) == null) {
                SettingEntity e = new SettingEntity();
                e.name = "finish-" + runId;
                e.value = services.clock().instant().toString();
                s.persist(e);
              }
            });
    services.runs().wake(runId);
  }
}
