package bargelane.core.assess;

import bargelane.core.usage.Coverage;
import bargelane.core.usage.Load;
import bargelane.core.usage.LoadProfile;
import bargelane.core.usage.LoadProfile.Stretch;
import bargelane.core.usage.UsageDay;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;

/**
 * What a machine used, made ready to be sized by many times.
 *
 * @param busiest the busiest hours on end of each load
 * @param warnings what a reader of figures from the window must know
 * @param thin whether less than nine tenths of the window, less than a week, or no month's turn is
 *     held
 */
public record Use(
    LoadProfile profile, Map<Load, Stretch> busiest, List<String> warnings, boolean thin) {

  private static final double MOST_OF_IT = 0.9;

  /** Less than a week shows no week's cycle, and is no base for a size. */
  private static final int LEAST = 7 * UsageDay.SLOTS;

  public static Use of(LoadProfile profile, int sustainedHours) {
    Map<Load, Stretch> busiest = new EnumMap<>(Load.class);
    for (Load load : Load.values()) {
      busiest.put(
          load,
          sustainedHours == 0
              ? new Stretch(java.time.Instant.EPOCH, 0)
              : profile.busiest(load, sustainedHours));
    }
    Coverage c = profile.coverage();
    return new Use(
        profile,
        busiest,
        c.warnings(),
        c.held() < LEAST || c.share() < MOST_OF_IT || !c.monthsTurn());
  }

  /** Whether enough of a load was measured to size by. */
  boolean enough(Load load) {
    return profile.samples(load) >= LEAST;
  }

  int samples(Load load) {
    return profile.samples(load);
  }
}
