package bargelane.service.plan;

import bargelane.api.AssessmentAccept;
import bargelane.api.RunView;
import bargelane.api.SizeChoice;
import bargelane.api.WaveAdd;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory;
import bargelane.core.wave.WaveVerb;
import bargelane.service.assess.SizeChoices;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassRun;
import bargelane.service.replication.ScrubRun;
import bargelane.service.replication.Services;
import bargelane.service.replication.TimetableEntity;
import bargelane.service.replication.TimetableTask;
import bargelane.service.replication.Timetables;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.site.Inventories;
import bargelane.service.site.Sites;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** Planning waves: which machines move together, on which lane, under which timetable. */
public final class Waves {

  private final Services services;
  private final SizeChoices sizes;

  public Waves(Services services, SizeChoices sizes) {
    this.services = services;
    this.sizes = sizes;
  }

  public static WaveEntity find(Session s, String ref) {
    return Db.first(s, WaveEntity.class, "from WaveEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("wave", ref));
  }

  /** The tow of a wave. */
  public static TowEntity tow(Session s, WaveEntity wave) {
    return Tows.ofWave(s, wave.id);
  }

  /** The tows of all waves, in the order in which they were planned: their ids. */
  public static List<String> towsInOrder(Session s) {
    return Db.list(
        s,
        String.class,
        "select t.id from TowEntity t join WaveEntity w on w.id = t.waveId order by w.createdAt, w.id");
  }

  public String add(WaveAdd asked) {
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
              WaveEntity wave = add(s, asked.name(), services.clock().instant());
              LaneEntity lane = Lanes.find(s, String.valueOf(asked.lane()));
              TimetableEntity timetable = Timetables.find(s, asked.timetable());
              TowEntity tow = new TowEntity();
              tow.id = Ids.next("tow");
              tow.waveId = wave.id;
              tow.name = wave.name;
              tow.laneId = lane.id;
              tow.timetableId = timetable.id;
              s.persist(tow);
              s.flush();
              WaveMembers.add(s, lane, tow, asked);
              services
                  .events()
                  .tell(s, "wave", tow.id, null, "wave " + wave.name + " planned", null);
              return wave.id;
            });
  }

  /**
   * Plans a wave anew that was never loaded: its lane, timetable and machines become these.
   *
   * @param asked names the wave
   */
  public void change(WaveAdd asked) {
    services
        .db()
        .run(
            s -> {
              TowEntity tow = neverLoaded(s, asked.name());
              LaneEntity lane = Lanes.find(s, String.valueOf(asked.lane()));
              Tows.dropMembers(s, tow.id);
              tow.laneId = lane.id;
              tow.timetableId = Timetables.find(s, asked.timetable()).id;
              s.flush();
              WaveMembers.add(s, lane, tow, asked);
              services
                  .events()
                  .tell(s, "wave", tow.id, null, "wave " + tow.name + " planned anew", null);
            });
  }

  /** Removes a wave that was never loaded: nothing of it is at its sites. */
  public void drop(String ref) {
    services
        .db()
        .run(
            s -> {
              TowEntity tow = neverLoaded(s, ref);
              Tows.forget(s, tow.id);
              Runs.forget(s, tow.id);
              s.remove(tow);
              s.flush();
              s.remove(s.find(WaveEntity.class, tow.waveId));
            });
  }

  private static TowEntity neverLoaded(Session s, String ref) {
    TowEntity tow = removable(s, tow(s, find(s, ref)).id);
    if (Tows.nextLegNumber(s, tow.id) > 1) {
      throw ProblemException.conflict(
          "wave-loaded",
          "wave " + tow.name + " has been loaded: its machines, lane and timetable stay",
          "leave it as it is, or remove the wave with its copies and plan it anew");
    }
    return tow;
  }

  /** A wave of a name that is free; its tow is the caller's. */
  public static WaveEntity add(Session s, String name, Instant now) {
    Sites.name("wave", name);
    Sites.unused(s, "WaveEntity", "wave", name);
    WaveEntity wave = new WaveEntity();
    wave.id = Ids.next("wave");
    wave.name = name;
    wave.createdAt = now;
    s.persist(wave);
    return wave;
  }

  /**
   * Removes a wave that has no recovery point: its replicas, if a load made any, are removed first.
   * Nothing of it is left at its sites when this returns.
   */
  public void remove(String ref) {
    TowEntity tow =
        services
            .db()
            .tx(
                s -> {
                  TowEntity t = tow(s, find(s, ref));
                  // The legs first: the timetable begins no pass between this look and its commit.
                  Tows.end(s, t.id);
                  return removable(s, t.id);
                });
    services
        .ledger()
        .removeAll(tow.id)
        .ifPresent(
            left -> {
              throw ProblemException.conflict(
                  "wave-holds",
                  "wave " + tow.name + " still holds " + left,
                  "see that the site answers, then remove the wave again");
            });
    services
        .db()
        .run(
            s -> {
              TowEntity t = removable(s, tow.id);
              Tows.forget(s, t.id);
              Runs.forget(s, t.id);
              s.remove(t);
              s.flush();
              s.remove(s.find(WaveEntity.class, t.waveId));
            });
  }

  /** Locks a tow and refuses where its wave must stay. */
  private static TowEntity removable(Session s, String towId) {
    TowEntity tow = s.find(TowEntity.class, towId, LockMode.PESSIMISTIC_WRITE);
    if (tow == null) {
      // Somebody else removed it meanwhile.
      throw ProblemException.missing("wave", towId);
    }
    if (tow.settledAt != null) {
      throw ProblemException.conflict(
          "wave-settled",
          "wave " + tow.name + " was settled: it is the record of its move",
          "keep it");
    }
    if (Runs.busy(s, towId)) {
      throw ProblemException.conflict(
          "wave-busy",
          "work on wave " + tow.name + " is open",
          Remedy.of("wait for it", Action.RUN_LIST));
    }
    if (Tows.hasPoints(s, towId)) {
      throw ProblemException.conflict(
          "wave-in-use",
          "wave " + tow.name + " has recovery points",
          Remedy.of("settle it instead", Action.WAVE_SETTLE, tow.name));
    }
    return tow;
  }

  /** Holds back the passes of the timetable; what one runs goes on, and markers track on. */
  public void pause(String ref, String by) {
    hold(ref, WaveVerb.PAUSE, by, by + " paused the replication of ");
  }

  /** Lets the passes of the timetable go on. */
  public void resume(String ref, String by) {
    TowState state = state(ref);
    if (state.tow.uncheckedSince != null) {
      // The sites are asked before the transaction: nothing else begins on the wave meanwhile.
      checked(state, new Whereabouts(services).check(state), by);
      return;
    }
    hold(ref, WaveVerb.RESUME, "", by + " resumed the replication of ");
    services.runs().look();
  }

  private void checked(TowState seen, String told, String by) {
    services
        .db()
        .run(
            s -> {
              TowState state = TowState.load(s, seen.tow.id);
              Tows.checked(s, state);
              state.leg.ifPresent(
                  l -> {
                    LegEntity leg = s.find(LegEntity.class, l.id, LockMode.PESSIMISTIC_WRITE);
                    leg.heldBy = "";
                    TimetableTask.watch(s, leg.id, services.clock().instant());
                  });
              services
                  .events()
                  .tell(
                      s,
                      "wave",
                      state.tow.id,
                      null,
                      by + " had wave " + state.tow.name + " looked at: " + told,
                      null);
            });
    services.runs().look();
  }

  private void hold(String ref, WaveVerb verb, String by, String told) {
    services
        .db()
        .run(
            s -> {
              TowState state = state(s, ref);
              state.leg.ifPresent(
                  l -> s.refresh(s.find(LegEntity.class, l.id), LockMode.PESSIMISTIC_WRITE));
              WaveStanding.of(s, state, services.clock().instant())
                  .status()
                  .refuses(verb)
                  .ifPresent(
                      r -> {
                        throw ProblemException.conflict(r.code(), r.cause(), r.remedy());
                      });
              LegEntity leg = state.leg.orElseThrow();
              leg.heldBy = by;
              TimetableTask.watch(s, leg.id, services.clock().instant());
              services.events().tell(s, "wave", state.tow.id, null, told + state.tow.name, null);
            });
  }

  /**
   * Has the copies of a wave read at the target and held against their digests, when tugs have
   * nothing else to do.
   */
  public RunView scrub(String ref, String by) {
    RunView begun =
        services
            .db()
            .tx(
                s -> {
                  TowState state = state(s, ref);
                  recordsAreChecked(s, state);
                  LegEntity leg =
                      state
                          .leg
                          .filter(l -> l.pointId != null)
                          .orElseThrow(
                              () ->
                                  ProblemException.conflict(
                                      "no-point",
                                      "wave " + state.tow.name + " has no recovery point yet",
                                      Action.WAVE_LOAD.of(state.tow.name)));
                  s.refresh(s.find(LegEntity.class, leg.id), LockMode.PESSIMISTIC_WRITE);
                  Runs.open(s, ScrubRun.KIND, state.tow.id).stream()
                      .findFirst()
                      .ifPresent(
                          r -> {
                            throw ProblemException.conflict(
                                "scrub-running",
                                "the copies of wave " + state.tow.name + " are being scrubbed",
                                Remedy.of("follow it", Action.RUN_SHOW, r.id));
                          });
                  String run = ScrubRun.start(s, services.runs(), state.tow, leg.id, by);
                  return Runs.view(s, s.find(RunEntity.class, run));
                });
    services.runs().look();
    return begun;
  }

  private void recordsAreChecked(Session s, TowState state) {
    if (state.tow.uncheckedSince != null) {
      WaveStanding.of(s, state, services.clock().instant())
          .status()
          .refuses(WaveVerb.PAUSE)
          .ifPresent(
              r -> {
                throw ProblemException.conflict(r.code(), r.cause(), r.remedy());
              });
    }
  }

  /**
   * Begins a pass now, without waiting for the timetable. Gives the run of one that is open.
   *
   * @param deep it compares every byte of the copies with the source, and trusts no digest
   */
  public RunView pass(String ref, boolean deep, String by) {
    String run =
        services
            .db()
            .tx(
                s -> {
                  TowState state = state(s, ref);
                  recordsAreChecked(s, state);
                  LegEntity leg =
                      state.leg.orElseThrow(
                          () ->
                              ProblemException.conflict(
                                  "not-loaded",
                                  "wave " + state.tow.name + " is not replicated",
                                  Action.WAVE_LOAD.of(state.tow.name)));
                  // The timetable begins its passes under the same lock.
                  s.find(LegEntity.class, leg.id, LockMode.PESSIMISTIC_WRITE);
                  s.refresh(leg);
                  if (leg.state != LegState.OPEN) {
                    throw ProblemException.conflict(
                        "replication-paused",
                        "replication of wave " + state.tow.name + " is " + leg.state.word(),
                        Remedy.of("look at its runs", Action.WAVE_SHOW, state.tow.name));
                  }
                  Optional<RunEntity> open =
                      Runs.open(s, PassRun.KIND, state.tow.id).stream().findFirst();
                  if (open.isPresent() && deep) {
                    throw ProblemException.conflict(
                        "pass-running",
                        "a pass of wave "
                            + state.tow.name
                            + " is running, and it is not a deep one",
                        Remedy.of("ask again when it has ended", Action.RUN_SHOW, open.get().id));
                  }
                  if (deep) {
                    Tows.doubt(s, leg.id);
                  }
                  return open.map(r -> r.id)
                      .orElseGet(() -> PassRun.start(s, services.runs(), state.tow, leg.id, by));
                });
    services.runs().wake(run);
    return services.db().tx(s -> Runs.view(s, s.find(RunEntity.class, run)));
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
              Inventory away = new Inventories(s).of(state.away);
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

  /** A member of a tow by its machine's name or id. */
  public static MemberEntity member(TowState state, String machine) {
    return state.members.stream()
        .filter(m -> m.name.equals(machine) || m.machineId.equals(machine))
        .findFirst()
        .orElseThrow(() -> ProblemException.missing("machine", machine));
  }

  /** The tow of a wave with all that belongs to it. */
  public TowState state(String ref) {
    return services.db().tx(s -> state(s, ref));
  }

  /** The tow of a wave with all that belongs to it, in the caller's transaction. */
  public TowState state(Session s, String ref) {
    return TowState.load(s, tow(s, find(s, ref)).id);
  }
}
