package bargelane.api;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * What an assessment takes for granted. In a request whatever is left out is as in the revision
 * before, or as usual.
 *
 * @param basis configured or observed: by which sizes are accepted
 * @param percentile of the samples that a size must carry, above 0, up to 100
 * @param days whole days of UTC that are looked at
 * @param until the first day that is not looked at; today if it is left out
 * @param sustainedHours the mean of the busiest so many hours on end is carried as well; 0 for not
 * @param families of sizes that may be chosen; all if empty
 * @param generations of sizes that may be chosen; all if empty
 * @param zone where the size must be offered; anywhere if empty
 * @param generationFactors how many of the machine's processors one of a generation is worth
 * @param commitment none, 1 year or 3 years
 * @param hoursAWeek for which machines run, up to 168
 * @param runningHours other hours for some; of several that choose a machine the first counts
 * @param discountPercent negotiated, on everything but licences
 * @param ownLicences that are brought along
 * @param growthPercent a year, of what lies on disks and is sent
 * @param horizonMonths over which costs are summed
 */
public record AssumptionsView(
    String basis,
    Double percentile,
    Integer days,
    LocalDate until,
    Integer sustainedHours,
    HeadroomView headroom,
    Set<String> families,
    Set<String> generations,
    String zone,
    Map<String, Double> generationFactors,
    String commitment,
    BigDecimal hoursAWeek,
    List<RunningHours> runningHours,
    BigDecimal discountPercent,
    Set<String> ownLicences,
    BigDecimal growthPercent,
    Integer horizonMonths) {

  /** What a size must have beyond the measured, in percent. */
  public record HeadroomView(
      @Nullable Double cpu,
      @Nullable Double memory,
      @Nullable Double disk,
      @Nullable Double network) {}

  /** The hours a week of the machines that a filter chooses. */
  public record RunningHours(String filter, BigDecimal hoursAWeek) {}

  /** Nothing said of anything. */
  public static final AssumptionsView UNSAID =
      new AssumptionsView(
          null, null, null, null, null, null, null, null, null, null, null, null, null, null, null,
          null, null);
}
