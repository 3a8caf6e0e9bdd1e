package bargelane.core.assess;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.LocalDate;
import java.util.Map;
import java.util.Set;

/**
 * What an assessment takes for granted.
 *
 * @param basis by which machines are sized when a revision is accepted
 * @param percentile of the samples that a size must carry, above 0, up to 100
 * @param days whole days of UTC that are looked at
 * @param until the first day that is not looked at
 * @param sustainedHours the mean of the busiest so many hours on end is carried as well, whatever
 *     the percentile; 0 for not
 * @param families of sizes that may be chosen; all if empty
 * @param generations of sizes that may be chosen; all if empty
 * @param zone where the size must be offered; anywhere if empty
 * @param generationFactors how many of the machine's processors one of a generation is worth; 1
 *     where it is not given
 * @param hoursAWeek for which machines run, above 0, up to 168
 * @param discountPercent negotiated, on everything but licences
 * @param ownLicences that are brought along and cost nothing there
 * @param growthPercent a year, of what lies on disks and is sent
 * @param horizonMonths over which costs are summed
 */
public record Assumptions(
    Basis basis,
    double percentile,
    int days,
    LocalDate until,
    int sustainedHours,
    Headroom headroom,
    Set<String> families,
    Set<String> generations,
    String zone,
    Map<String, Double> generationFactors,
    Commitment commitment,
    BigDecimal hoursAWeek,
    BigDecimal discountPercent,
    Set<String> ownLicences,
    BigDecimal growthPercent,
    int horizonMonths) {

  public static final BigDecimal ALL_HOURS = new BigDecimal("168");
  public static final BigDecimal HUNDRED = new BigDecimal("100");

  /** Days of a month are 365.25 over 12: a week's hours times this are a month's. */
  private static final BigDecimal DAYS_A_MONTH = new BigDecimal("30.4375");

  private static final BigDecimal DAYS_A_WEEK = new BigDecimal("7");

  /** What a size must have beyond the measured, in percent. Not added to what is configured. */
  public record Headroom(double cpu, double memory, double disk, double network) {
    public Headroom {
      for (double percent : new double[] {cpu, memory, disk, network}) {
        if (!(percent >= 0 && percent <= 1000)) {
          throw new IllegalArgumentException(
              "a headroom of " + percent + " % is not from 0 to 1000");
        }
      }
    }

    public static Headroom all(double percent) {
      return new Headroom(percent, percent, percent, percent);
    }
  }

  public Assumptions {
    check(percentile >= 50 && percentile <= 100, "percentile", percentile, "50 to 100");
    check(days >= 1 && days <= 400, "window", days, "1 to 400 days");
    check(
        sustainedHours >= 0 && sustainedHours <= 24, "sustained", sustainedHours, "0 to 24 hours");
    check(
        hoursAWeek.signum() > 0 && hoursAWeek.compareTo(ALL_HOURS) <= 0,
        "uptime",
        hoursAWeek,
        "above 0, up to 168 hours a week");
    check(
        discountPercent.signum() >= 0 && discountPercent.compareTo(HUNDRED) < 0,
        "discount",
        discountPercent,
        "0 up to below 100 %");
    check(
        growthPercent.signum() >= 0 && growthPercent.compareTo(new BigDecimal("1000")) <= 0,
        "growth",
        growthPercent,
        "0 to 1000 % a year");
    check(horizonMonths >= 1 && horizonMonths <= 120, "horizon", horizonMonths, "1 to 120 months");
    generationFactors.forEach(
        (generation, factor) ->
            check(
                factor >= 0.1 && factor <= 10,
                "factor of generation " + generation,
                factor,
                "0.1 to 10"));
    families = Set.copyOf(families);
    generations = Set.copyOf(generations);
    ownLicences = Set.copyOf(ownLicences);
    generationFactors = Map.copyOf(generationFactors);
  }

  private static void check(boolean right, String what, Object value, String wanted) {
    if (!right) {
      throw new IllegalArgumentException("the " + what + " " + value + " is not " + wanted);
    }
  }

  /** The usual ones, for a window that ends before a day. */
  public static Assumptions usual(LocalDate until) {
    return new Assumptions(
        Basis.OBSERVED,
        95,
        30,
        until,
        4,
        Headroom.all(20),
        Set.of(),
        Set.of(),
        "",
        Map.of(),
        Commitment.NONE,
        ALL_HOURS,
        BigDecimal.ZERO,
        Set.of(),
        BigDecimal.ZERO,
        36);
  }

  /** The same with other choices of what a curve is drawn over. */
  public Assumptions choosing(
      double percentile, Headroom headroom, Commitment commitment, BigDecimal hoursAWeek) {
    return new Assumptions(
        basis,
        percentile,
        days,
        until,
        sustainedHours,
        headroom,
        families,
        generations,
        zone,
        generationFactors,
        commitment,
        hoursAWeek,
        discountPercent,
        ownLicences,
        growthPercent,
        horizonMonths);
  }

  public LocalDate from() {
    return until.minusDays(days);
  }

  public double factor(String generation) {
    return generationFactors.getOrDefault(generation, 1.0);
  }

  /** Hours of a month for hours of a week, to four places. */
  public static BigDecimal hoursAMonth(BigDecimal hoursAWeek) {
    return hoursAWeek.multiply(DAYS_A_MONTH).divide(DAYS_A_WEEK, 4, RoundingMode.HALF_UP);
  }

  /** What is left of a price after the discount, as a share of it. */
  public BigDecimal net() {
    return BigDecimal.ONE.subtract(discountPercent.movePointLeft(2));
  }

  /** By how much a year's quantity is that of the first: 1 for year 0. */
  public BigDecimal growth(int year) {
    return BigDecimal.ONE.add(growthPercent.movePointLeft(2)).pow(year);
  }
}
