package bargelane.service.move;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.BootSign;
import bargelane.core.wave.ProbePlan;
import bargelane.service.plan.Plans;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.text.Durations;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.stream.Collectors;

/**
 * Watches machines that a run has started, until they answer or their consoles say that they won't.
 */
final class Starts {

  private final Consoles consoles;
  private final Clock clock;

  Starts(Consoles consoles, Clock clock) {
    this.consoles = consoles;
    this.clock = clock;
  }

  /** Machines of a rank that are looked after at once: as many as a site lets a move call it. */
  private static final int AT_ONCE = 8;

  /**
   * Starts the machines of a rank together, and waits until each has answered once. Each is started
   * again as long as it has not: to start one that runs changes nothing.
   *
   * @param machines what the ids of the rank's machines are at the side, by member
   * @param off those that are not started
   * @throws RunFailure if one of them is not to be expected any more
   */
  Outcome together(
      Work w,
      TowState state,
      Side side,
      int rank,
      Map<String, String> machines,
      Set<String> off,
      Compute compute,
      Consumer<String> start) {
    Instant begun = w.once(MoveNotes.rank(rank), clock::instant);
    List<MemberEntity> members =
        state.ofRank(rank).stream().filter(m -> !off.contains(m.id)).toList();
    List<MemberEntity> kept = state.ofRank(rank).stream().filter(m -> off.contains(m.id)).toList();
    Map<String, ProbePlan> answered = w.get(MoveNotes.ANSWERED).orElse(Map.of());
    Map<String, String> waits = new ConcurrentHashMap<>();
    Together.each(
        members.stream().filter(m -> !Plans.probe(m).equals(answered.get(m.id))).toList(),
        AT_ONCE,
        m -> {
          String id = machines.get(m.id);
          start.accept(id);
          Optional<String> bad = await(w, state, side, m, compute, id, begun);
          if (bad.isPresent()) {
            waits.put(m.id, bad.get());
          } else {
            w.put(MoveNotes.ANSWERED, m.id, Plans.probe(m));
          }
        });
    return waits.isEmpty()
        ? Outcome.done(Moves.named("healthy", members, "kept off", kept))
        : Outcome.waitFor(
            members.stream()
                .map(m -> waits.get(m.id))
                .filter(Objects::nonNull)
                .collect(Collectors.joining("; ")));
  }

  /** What a machine's platform calls it at a side. */
  private static String called(Work w, MemberEntity m, Side side) {
    return w.get(MoveNotes.CALLED)
        .map(all -> all.get(m.id))
        .or(() -> TowState.berth(m, side).map(b -> b.nameOf(m.name)))
        .orElse(m.name);
  }

  /** What a machine is still waited for; empty once it answers. */
  Optional<String> look(
      Work w, TowState state, Side side, MemberEntity m, Compute compute, String id) {
    Optional<String> bad = Probe.of(compute, id, m.name, called(w, m, side), Plans.probe(m));
    Optional<BootSign.Seen> seen = console(w, state, side, m, compute, id);
    return bad.map(b -> b + seen.map(s -> "; " + said(s)).orElse(""));
  }

  /**
   * The same, for a start that may fail.
   *
   * @param since when it was started
   * @throws RunFailure if its console says that nothing more is to be expected, or if it takes too
   *     long
   */
  private Optional<String> await(
      Work w,
      TowState state,
      Side side,
      MemberEntity m,
      Compute compute,
      String id,
      Instant since) {
    Optional<String> bad = Probe.of(compute, id, m.name, called(w, m, side), Plans.probe(m));
    Optional<BootSign.Seen> seen = console(w, state, side, m, compute, id);
    if (bad.isEmpty()) {
      return bad;
    }
    if (seen.filter(s -> s.sign().isEnd()).isPresent()) {
      throw new RunFailure(
          "start-failed",
          m.name + " does not start at " + state.site(side).name + ": " + said(seen.get()),
          Remedy.of(seen.get().sign().advice(), Action.RUN_CONSOLE, w.runId()));
    }
    String told = bad.get() + seen.map(s -> "; " + said(s)).orElse("");
    Duration within = Duration.ofSeconds(Plans.probe(m).withinSeconds());
    if (since.plus(within).isBefore(clock.instant())) {
      throw new RunFailure(
          "probe-failed",
          m.name + " did not become healthy within " + Durations.text(within) + ": " + told,
          Remedy.of(
              seen.map(s -> s.sign().advice()).orElse("see what the guest's console says"),
              Action.RUN_CONSOLE,
              w.runId()));
    }
    return Optional.of(told);
  }

  private Optional<BootSign.Seen> console(
      Work w, TowState state, Side side, MemberEntity m, Compute compute, String id) {
    return consoles.look(w.runId(), m, state.site(side).name, compute, id);
  }

  private static String said(BootSign.Seen seen) {
    return seen.sign().cause() + " (\"" + seen.line() + "\")";
  }
}
