package bargelane.core.wave;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.replication.LegState;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * The facts that decide what a wave is called, what may be asked of it, and what comes next.
 *
 * @param from name of the site that the machines are taken from
 * @param to name of the site that they are taken to
 * @param leg the leg that is open or paused
 * @param held whether its timetable's passes are held back
 * @param uncheckedSince of when its records are, where they come from a backup and nobody has
 *     looked since where its machines run
 * @param measured whether the divergence of its sides was measured
 * @param undoable whether the last move can be taken back
 * @param running verbs whose runs are open
 */
public record WaveStatus(
    String name,
    String from,
    String to,
    boolean settled,
    boolean diverged,
    boolean measured,
    boolean landed,
    Optional<LegState> leg,
    boolean held,
    Optional<Instant> uncheckedSince,
    boolean hasPoint,
    boolean proven,
    boolean undoable,
    Set<WaveVerb> running) {

  private static final Set<WaveVerb> MOVES =
      Set.of(
          WaveVerb.CUTOVER,
          WaveVerb.FAILBACK,
          WaveVerb.FAILOVER,
          WaveVerb.RECONCILE,
          WaveVerb.UNDO);

  public WaveStatus {
    running = Set.copyOf(running);
  }

  /** Why a verb can't be asked for now. */
  public record Refusal(String code, String cause, Remedy remedy) {}

  /** The wave's state, in one word. */
  public WaveState state() {
    if (running.stream().anyMatch(MOVES::contains)) {
      return WaveState.MOVING;
    }
    if (settled) {
      return WaveState.SETTLED;
    }
    if (running.contains(WaveVerb.SETTLE)) {
      return WaveState.SETTLING;
    }
    if (diverged) {
      return WaveState.DIVERGED;
    }
    if (running.contains(WaveVerb.TEST)) {
      return WaveState.TESTING;
    }
    if (running.contains(WaveVerb.LOAD)) {
      return WaveState.LOADING;
    }
    if (leg.isEmpty()) {
      return WaveState.PLANNED;
    }
    if (landed) {
      return WaveState.LANDED;
    }
    if (held || leg.get() == LegState.PAUSED) {
      return WaveState.PAUSED;
    }
    return hasPoint ? WaveState.REPLICATING : WaveState.LOADING;
  }

  /** Why a verb can't be asked for now; none if it can. Gates are asked beside this. */
  public Optional<Refusal> refuses(WaveVerb verb) {
    if (settled) {
      return refusal(
          "wave-settled",
          "wave " + name + " is settled",
          Remedy.advice("plan a new wave for its machines"));
    }
    if (uncheckedSince.isPresent()) {
      return verb == WaveVerb.RESUME
          ? Optional.empty()
          : refusal(
              "not-checked",
              "the records of wave "
                  + name
                  + " are those of a backup of "
                  + uncheckedSince.get().truncatedTo(ChronoUnit.SECONDS)
                  + ", and where its machines run now was not looked at since",
              Remedy.of("have it looked at", Action.WAVE_RESUME, name));
    }
    if (verb == WaveVerb.RECONCILE) {
      return diverged
          ? Optional.empty()
          : refusal(
              "not-diverged",
              "the sides of wave " + name + " did not diverge",
              Remedy.advice("nothing is to be done"));
    }
    if (diverged) {
      return refusal(
          "sides-diverged",
          "wave " + name + " failed over and its sides may differ",
          Remedy.of("reconcile them first", Action.WAVE_RECONCILE, name));
    }
    if (verb == WaveVerb.SETTLE) {
      return Optional.empty();
    }
    if (verb == WaveVerb.LOAD) {
      return leg.filter(l -> l == LegState.OPEN).isPresent()
          ? refusal(
              "already-loaded",
              "wave " + name + " is replicated by its timetable already",
              Remedy.of("look at it", Action.WAVE_SHOW, name))
          : Optional.empty();
    }
    if (leg.isEmpty()) {
      return refusal(
          "not-loaded", "wave " + name + " is not replicated", Action.WAVE_LOAD.of(name));
    }
    return switch (verb) {
      case PAUSE ->
          held
              ? refusal(
                  "already-paused",
                  "replication of wave " + name + " is paused",
                  Action.WAVE_RESUME.of(name))
              : leg.get() == LegState.OPEN
                  ? Optional.empty()
                  : refusal(
                      "not-replicated",
                      "the timetable of wave " + name + " makes no passes now",
                      Remedy.of("look at it", Action.WAVE_SHOW, name));
      case RESUME ->
          held
              ? Optional.empty()
              : refusal(
                  "not-paused",
                  "replication of wave " + name + " is not paused",
                  Remedy.of("look at it", Action.WAVE_SHOW, name));
      case CUTOVER ->
          landed
              ? refusal(
                  "already-landed",
                  "the machines of wave " + name + " run at " + to,
                  Remedy.of("bring them back", Action.WAVE_FAILBACK, name))
              : Optional.empty();
      case FAILBACK ->
          landed
              ? Optional.empty()
              : refusal(
                  "not-landed",
                  "the machines of wave " + name + " run at " + from,
                  Remedy.advice("there is nothing to bring back"));
      case FAILOVER ->
          hasPoint
              ? Optional.empty()
              : refusal(
                  "no-point",
                  "wave " + name + " has no complete recovery point",
                  Remedy.advice(
                      "there is nothing to start; wait for a pass if the source still runs"));
      case UNDO ->
          undoable
              ? Optional.empty()
              : refusal(
                  "nothing-to-undo",
                  "the last move of wave " + name + " can't be taken back",
                  landed
                      ? Remedy.of("fail back instead", Action.WAVE_FAILBACK, name)
                      : Remedy.advice("nothing is to be done"));
      default -> Optional.empty();
    };
  }

  private static Optional<Refusal> refusal(String code, String cause, Remedy remedy) {
    return Optional.of(new Refusal(code, cause, remedy));
  }

  /** What a person is offered now, what is most likely meant first; nothing while work runs. */
  public List<WaveVerb> offered() {
    if (!running.isEmpty()) {
      return List.of();
    }
    List<WaveVerb> order = new ArrayList<>(List.of(WaveVerb.RECONCILE, WaveVerb.LOAD));
    if (landed) {
      order.addAll(List.of(WaveVerb.FAILBACK, WaveVerb.UNDO, WaveVerb.TEST));
    } else {
      order.addAll(
          proven
              ? List.of(WaveVerb.CUTOVER, WaveVerb.TEST, WaveVerb.UNDO)
              : List.of(WaveVerb.TEST, WaveVerb.CUTOVER, WaveVerb.UNDO));
    }
    order.addAll(List.of(WaveVerb.FAILOVER, WaveVerb.RESUME, WaveVerb.PAUSE, WaveVerb.SETTLE));
    // A wave that was never loaded has nothing to settle: it is removed instead.
    order.removeIf(
        v -> refuses(v).isPresent() || v == WaveVerb.SETTLE && leg.isEmpty() && !hasPoint);
    return List.copyOf(order);
  }

  /**
   * The one thing to do next: the remedy of the first finding of the first gate that is shut for
   * any machine. Empty if nothing is to be done.
   */
  public Remedy next(Collection<List<Gate.State>> machines) {
    if (settled) {
      return Remedy.NONE;
    }
    if (!running.isEmpty()) {
      return Remedy.advice("wait for the running work");
    }
    if (uncheckedSince.isPresent()) {
      return Action.WAVE_RESUME.of(name);
    }
    if (diverged) {
      return Action.WAVE_RECONCILE.of(name);
    }
    if (held) {
      return Action.WAVE_RESUME.of(name);
    }
    for (Gate gate : Gate.values()) {
      for (List<Gate.State> gates : machines) {
        Gate.State state = gates.get(gate.ordinal());
        if (!state.open()) {
          return state.shutBy().get(0).remedy();
        }
      }
    }
    return Remedy.NONE;
  }
}
