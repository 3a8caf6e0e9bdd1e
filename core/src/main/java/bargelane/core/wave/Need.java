package bargelane.core.wave;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.word.Worded;
import bargelane.text.Counts;
import bargelane.text.Durations;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * One thing that needs the engineer.
 *
 * @param since when it began; none where that is not known
 */
public record Need(
    Urgency urgency,
    String thing,
    String cause,
    Remedy remedy,
    String wave,
    Optional<Instant> since) {

  /** How soon; the most urgent first. */
  public enum Urgency implements Worded {
    NOW("now"),
    SOON("soon"),
    NEXT("next");

    private final String word;

    Urgency(String word) {
      this.word = word;
    }

    @Override
    public String word() {
      return word;
    }
  }

  /** Something of a wave that failed. */
  public record Failure(String thing, String cause, Remedy remedy, Optional<Instant> at) {}

  /**
   * What a wave needs.
   *
   * @param openGates for each gate the machines that have it open
   * @param stuck runs that are backed out and wait for a site
   * @param failures the newest run if it failed, the newest pass if it failed
   * @param next the next action, empty for none
   */
  public static List<Need> of(
      WaveStatus wave,
      boolean protectedNow,
      Exposure exposure,
      int machines,
      Map<Gate, Integer> openGates,
      List<Failure> stuck,
      List<Failure> failures,
      Remedy next) {
    String thing = "wave " + wave.name();
    List<Need> needs = new ArrayList<>();
    for (Failure f : stuck) {
      needs.add(new Need(Urgency.NOW, f.thing(), f.cause(), f.remedy(), wave.name(), f.at()));
    }
    if (wave.diverged()) {
      needs.add(
          new Need(
              Urgency.NOW,
              thing,
              "it failed over; both sides may hold writes that the other has not",
              Action.WAVE_RECONCILE.of(wave.name()),
              wave.name(),
              Optional.empty()));
      return needs;
    }
    if (protectedNow && !exposure.held() && exposure.age().isPresent()) {
      needs.add(
          new Need(
              Urgency.NOW,
              thing,
              "its exposure of "
                  + Durations.text(exposure.age().get())
                  + " is over the RPO of "
                  + Durations.text(exposure.rpo())
                  + " by "
                  + Durations.text(exposure.age().get().minus(exposure.rpo())),
              wave.held()
                  ? Remedy.of("its replication is paused", Action.WAVE_RESUME, wave.name())
                  : Remedy.of("see why the last pass failed", Action.WAVE_SHOW, wave.name()),
              wave.name(),
              Optional.empty()));
    }
    for (Failure f : failures) {
      needs.add(new Need(Urgency.SOON, f.thing(), f.cause(), f.remedy(), wave.name(), f.at()));
    }
    if (!next.none() && wave.running().isEmpty()) {
      needs.add(
          new Need(
              Urgency.NEXT,
              thing,
              firstShut(machines, openGates),
              next,
              wave.name(),
              Optional.empty()));
    }
    return needs;
  }

  private static String firstShut(int machines, Map<Gate, Integer> openGates) {
    for (Gate gate : Gate.values()) {
      int open = openGates.getOrDefault(gate, 0);
      if (open < machines) {
        return "gate '"
            + gate.word()
            + "' is shut for "
            + (machines - open)
            + " of "
            + Counts.of(machines, "machine");
      }
    }
    return "all gates are open";
  }
}
