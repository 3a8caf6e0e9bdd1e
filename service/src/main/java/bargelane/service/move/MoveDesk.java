package bargelane.service.move;

import bargelane.api.ConfirmRequest;
import bargelane.api.CutoverRequest;
import bargelane.api.FailoverRequest;
import bargelane.api.LostRequest;
import bargelane.api.ReconcileRequest;
import bargelane.api.RunView;
import bargelane.api.TestRequest;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.run.RunState;
import bargelane.core.wave.Gate;
import bargelane.core.wave.WaveVerb;
import bargelane.service.plan.WaveStanding;
import bargelane.service.plan.Waves;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.SettingEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import java.util.EnumSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.LockMode;

/** Where work on waves is asked for. What may not be done is refused before a run begins. */
public final class MoveDesk {

  private static final Set<Gate> TO_START = Set.of(Gate.FOUND, Gate.SIZED, Gate.MAPPED, Gate.LADEN);
  private static final Set<Gate> TO_MOVE =
      Set.of(Gate.FOUND, Gate.SIZED, Gate.MAPPED, Gate.LADEN, Gate.IN_STEP, Gate.PROVEN);

  private final Services services;
  private final Waves waves;

  /** Gates that time alone does not shut, which have to be open still when a cutover begins. */
  static Set<Gate> standing(boolean override) {
    Set<Gate> gates = EnumSet.copyOf(override ? TO_START : TO_MOVE);
    gates.remove(Gate.IN_STEP);
    return gates;
  }

  public MoveDesk(Services services, Waves waves) {
    this.services = services;
    this.waves = waves;
  }

  public RunView load(String ref, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.LOAD);
    standing.places().stream()
        .flatMap(r -> r.findings().stream())
        .filter(f -> f.code().ofStorage())
        .findFirst()
        .ifPresent(
            f -> {
              throw ProblemException.conflict(
                  "not-mapped", f.thing() + ": " + f.cause(), f.remedy());
            });
    return start(WaveVerb.LOAD, "Load", standing, Map.of(), by);
  }

  public RunView test(String ref, TestRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.TEST);
    if (TowState.source(standing.state().leg.orElseThrow()) == Side.HOME) {
      open(standing, TO_START);
    }
    return start(
        WaveVerb.TEST,
        "Test cutover of",
        standing,
        Map.of("point", text(asked.point()), "hold", asked.hold() != null && asked.hold()),
        by);
  }

  /** Looks into the guests for what a refit would change. */
  public RunView refit(String ref, String by) {
    return start(
        WaveVerb.REFIT, "Look into the guests of", allowed(ref, WaveVerb.REFIT), Map.of(), by);
  }

  public RunView cutover(String ref, CutoverRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.CUTOVER);
    open(standing, text(asked.override()).isBlank() ? TO_MOVE : TO_START);
    confirmed(standing, asked.confirm());
    return start(
        WaveVerb.CUTOVER, "Cutover of", standing, Map.of("override", text(asked.override())), by);
  }

  public RunView failback(String ref, CutoverRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.FAILBACK);
    if (text(asked.override()).isBlank()) {
      open(standing, Set.of(Gate.IN_STEP));
    }
    confirmed(standing, asked.confirm());
    return start(
        WaveVerb.FAILBACK, "Failback of", standing, Map.of("override", text(asked.override())), by);
  }

  public RunView failover(String ref, FailoverRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.FAILOVER);
    confirmed(standing, asked.confirm());
    return start(
        WaveVerb.FAILOVER,
        "Failover of",
        standing,
        Map.of(
            "point",
            text(asked.point()),
            "sourceLost",
            asked.sourceLost() != null && asked.sourceLost()),
        by);
  }

  public RunView reconcile(String ref, ReconcileRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.RECONCILE);
    TowState state = standing.state();
    String keep = text(asked.keep());
    if (!keep.isEmpty()) {
      side(state, keep);
      confirmed(standing, asked.confirm());
    }
    return start(WaveVerb.RECONCILE, "Reconciliation of", standing, Map.of("keep", keep), by);
  }

  public RunView undo(String ref, ConfirmRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.UNDO);
    confirmed(standing, asked.confirm());
    return start(WaveVerb.UNDO, "Undoing the last move of", standing, Map.of(), by);
  }

  public RunView settle(String ref, ConfirmRequest asked, String by) {
    WaveStanding standing = allowed(ref, WaveVerb.SETTLE);
    confirmed(standing, asked.confirm());
    return start(WaveVerb.SETTLE, "Settling of", standing, Map.of(), by);
  }

  /**
   * Says that a site will not be back while a run that is being backed out waits for it. What was
   * started there is stopped and fenced, should it come back, before anything else.
   */
  public void declareLost(String ref, LostRequest asked, String by) {
    String run =
        services
            .db()
            .tx(
                s -> {
                  WaveStanding standing =
                      WaveStanding.of(s, waves.state(s, ref), services.clock().instant());
                  TowState state = standing.state();
                  Side side = side(state, text(asked.site()));
                  confirmed(standing, asked.confirm());
                  RunEntity waiting =
                      Runs.open(s, state.tow.id).stream()
                          .filter(r -> r.state == RunState.BACKING_OUT && r.parentId == null)
                          .findFirst()
                          .orElseThrow(
                              () ->
                                  ProblemException.conflict(
                                      "nothing-waits",
                                      "no run of wave "
                                          + state.tow.name
                                          + " is being backed out, so none waits for "
                                          + state.site(side).name,
                                      Remedy.of("look at it", Action.WAVE_SHOW, state.tow.name)));
                  Lost.declare(s, waiting.id, side, by);
                  services
                      .events()
                      .tell(
                          s,
                          "run",
                          state.tow.id,
                          waiting.id,
                          by
                              + " declared what "
                              + waiting.title
                              + " made at "
                              + state.site(side).name
                              + " lost",
                          null);
                  return waiting.id;
                });
    services.runs().wake(run);
  }

  private static Side side(TowState state, String site) {
    for (Side side : Side.values()) {
      if (site.equals(state.site(side).name) || site.equals(state.siteId(side))) {
        return side;
      }
    }
    throw ProblemException.invalid(
        "site-not-of-lane",
        "'" + site + "' is not an end of the wave's lane",
        "name " + state.home.name + " or " + state.away.name);
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
              if (!run.kind.equals(WaveVerb.TEST.word()) || run.endedAt != null) {
                throw ProblemException.conflict(
                    "not-held",
                    "run " + runId + " is not a test that is held",
                    Remedy.of("list them", Action.RUN_LIST));
              }
              if (s.find(SettingEntity.class, finished(runId)) == null) {
                SettingEntity e = new SettingEntity();
                e.name = finished(runId);
                e.value = services.clock().instant().toString();
                s.persist(e);
              }
            });
    services.runs().wake(runId);
  }

  /** Name of the setting that says that a test was finished by hand. */
  static String finished(String runId) {
    return "finish-" + runId;
  }

  private WaveStanding allowed(String ref, WaveVerb verb) {
    WaveStanding standing =
        services.db().tx(s -> WaveStanding.of(s, waves.state(s, ref), services.clock().instant()));
    standing
        .status()
        .refuses(verb)
        .ifPresent(
            r -> {
              throw ProblemException.conflict(r.code(), r.cause(), r.remedy());
            });
    return standing;
  }

  /** Refuses while one of the gates is shut, naming the first finding. */
  private static void open(WaveStanding standing, Set<Gate> gates) {
    standing
        .shut(gates)
        .ifPresent(
            x -> {
              throw ProblemException.conflict(
                  "gate-shut",
                  "gate '"
                      + x.gate().word()
                      + "' of "
                      + x.machine()
                      + " is shut: "
                      + x.by().cause(),
                  x.by().remedy());
            });
  }

  private static void confirmed(WaveStanding standing, String typed) {
    String name = standing.state().tow.name;
    if (!name.equals(typed)) {
      throw ProblemException.invalid(
          "not-confirmed",
          "this changes machines in production and '"
              + text(typed)
              + "' is not the name of wave "
              + name,
          "type the wave's name: --confirm " + name);
    }
  }

  private static String text(String value) {
    return value == null ? "" : value;
  }

  private RunView start(
      WaveVerb verb, String title, WaveStanding standing, Object input, String by) {
    TowState state = standing.state();
    boolean changes =
        switch (verb) {
          case LOAD, TEST, REFIT -> false;
          default -> true;
        };
    String id =
        services
            .db()
            .tx(
                s -> {
                  // Whoever removes the wave holds this row too.
                  if (s.find(TowEntity.class, state.tow.id, LockMode.PESSIMISTIC_WRITE) == null) {
                    throw ProblemException.missing("wave", state.tow.name);
                  }
                  Runs.open(s, verb.word(), state.tow.id).stream()
                      .findFirst()
                      .ifPresent(
                          r -> {
                            throw ProblemException.conflict(
                                "already-running",
                                r.title + " is open",
                                Remedy.of("follow it", Action.RUN_SHOW, r.id));
                          });
                  return services
                      .runs()
                      .start(
                          s,
                          new RunEngine.Start(
                              verb.word(),
                              title + " " + state.tow.name,
                              state.subject(),
                              null,
                              input,
                              changes ? state.machineIds() : List.of(),
                              by));
                });
    services.runs().wake(id);
    return services.db().tx(s -> Runs.view(s, s.find(RunEntity.class, id)));
  }
}
