package bargelane.service.move;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.BootSign;
import bargelane.service.plan.Plans;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.text.Durations;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

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

  /** What a machine is still waited for; empty once it answers. */
  Optional<String> look(
      Work w, TowState state, Side side, MemberEntity m, Compute compute, String id) {
    Optional<String> bad = Probe.of(compute, id, m.name, Plans.probe(m));
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
  Optional<String> await(
      Work w,
      TowState state,
      Side side,
      MemberEntity m,
      Compute compute,
      String id,
      Instant since) {
    Optional<String> bad = Probe.of(compute, id, m.name, Plans.probe(m));
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
