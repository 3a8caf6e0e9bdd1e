package bargelane.core.assess;

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
 */
public record Use(LoadProfile profile, Map<Load, Stretch> busiest, List<String> warnings) {

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
    return new Use(profile, busiest, profile.coverage().warnings());
  }

  /** Whether enough of a load was measured to size by. */
  boolean enough(Load load) {
    return profile.samples(load) >= LEAST;
  }

  int samples(Load load) {
    return profile.samples(load);
  }
}
