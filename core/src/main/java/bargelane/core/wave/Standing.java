package bargelane.core.wave;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.wave.Gate.State;
import bargelane.text.Durations;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The facts that a machine's gates follow from.
 *
 * @param sizeFindings and {@code mappingFindings}: from preflight, blocking ones only
 * @param loadFindings disks of the machine that are not copied
 * @param points complete recovery points there are
 * @param test outcome of the last test cutover, if there was one
 */
public record Standing(
    String machine,
    String wave,
    boolean vanished,
    List<Finding> sizeFindings,
    List<Finding> mappingFindings,
    List<Finding> loadFindings,
    boolean protectedNow,
    int points,
    Exposure exposure,
    Optional<Test> test,
    boolean landed,
    boolean diverged,
    boolean settled) {

  /** A test cutover: whether it passed, what has changed since it did, and its run. */
  public record Test(boolean passed, List<String> changedSince, String run) {}

  /** All eight gates in order. */
  public List<State> gates() {
    List<State> gates = new ArrayList<>();
    gates.add(
        state(
            Gate.FOUND,
            vanished,
            Code.MACHINE_VANISHED,
            "the last scan did not find it",
            Remedy.advice("scan its site again; if it was removed, take it out of the wave")));
    gates.add(new State(Gate.SIZED, sizeFindings));
    gates.add(new State(Gate.MAPPED, mappingFindings));
    gates.add(
        points == 0
            ? state(
                Gate.LADEN,
                true,
                Code.NOT_LOADED,
                "no full pass is complete",
                Action.WAVE_LOAD.of(wave))
            : new State(Gate.LADEN, loadFindings));
    gates.add(new State(Gate.IN_STEP, inStep()));
    gates.add(new State(Gate.PROVEN, proven()));
    gates.add(
        state(
            Gate.LANDED,
            !landed,
            Code.NOT_LANDED,
            "it runs at its source",
            Action.WAVE_CUTOVER.of(wave)));
    gates.add(
        state(
            Gate.SETTLED,
            !settled,
            Code.NOT_SETTLED,
            landed ? "the move can still be undone" : "there is no move to close",
            Action.WAVE_SETTLE.of(wave)));
    return gates;
  }

  private State state(Gate gate, boolean shut, Code code, String cause, Remedy remedy) {
    return new State(
        gate, shut ? List.of(new Finding(code, machine, cause, remedy, Who.ENGINEER)) : List.of());
  }

  private List<Finding> inStep() {
    if (settled) {
      return List.of();
    }
    if (diverged) {
      return List.of(
          new Finding(
              Code.SIDES_DIVERGED,
              machine,
              "it failed over and both sides may hold writes that the other has not",
              Action.WAVE_RECONCILE.of(wave),
              Who.ENGINEER));
    }
    if (exposure.held()) {
      return List.of();
    }
    if (!protectedNow) {
      return List.of(
          new Finding(
              Code.NOT_PROTECTED,
              machine,
              "no passes run",
              Action.WAVE_LOAD.of(wave),
              Who.ENGINEER));
    }
    if (exposure.age().isEmpty()) {
      return List.of(
          new Finding(
              Code.NO_POINT,
              machine,
              "there is no complete recovery point yet",
              "wait for the pass that runs",
              Who.SERVICE));
    }
    return List.of(
        new Finding(
            Code.EXPOSURE_OVER_RPO,
            machine,
            "the newest recovery point is "
                + Durations.text(exposure.age().get())
                + " old, "
                + Durations.text(exposure.age().get().minus(exposure.rpo()))
                + " over the RPO of "
                + Durations.text(exposure.rpo()),
            Remedy.of("look at the last pass", Action.WAVE_SHOW, wave),
            Who.ENGINEER));
  }

  private List<Finding> proven() {
    if (test.isEmpty()) {
      return List.of(
          new Finding(
              Code.NOT_TESTED,
              machine,
              "no test cutover was made",
              Action.WAVE_TEST.of(wave),
              Who.ENGINEER));
    }
    if (!test.get().passed()) {
      return List.of(
          new Finding(
              Code.TEST_FAILED,
              machine,
              "the last test cutover failed",
              Remedy.of(
                  "see its run, mend the cause and test again", Action.RUN_SHOW, test.get().run()),
              Who.ENGINEER));
    }
    if (!test.get().changedSince().isEmpty()) {
      return List.of(
          new Finding(
              Code.TEST_LAPSED,
              machine,
              "changed since the test: " + String.join(", ", test.get().changedSince()),
              Action.WAVE_TEST.of(wave),
              Who.ENGINEER));
    }
    return List.of();
  }
}
