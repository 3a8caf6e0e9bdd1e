package bargelane.api;

import java.math.BigDecimal;
import java.time.Instant;
import java.util.List;

/**
 * A revision of an assessment, in sum. It never changes once made.
 *
 * @param target the site; empty where the price book describes it
 * @param book empty where the target's own prices count
 * @param filter whom it is about, if it goes by a filter
 * @param machines whom it is about, if they are named
 * @param prices whose prices these are, and of when
 * @param rules version of the rules of fitness
 * @param count machines
 * @param verdicts how many machines have which
 * @param reasons how many machines have which finding, the most frequent first
 * @param costs sums by what is paid for
 * @param today what those machines cost a month now whose cost is given
 * @param todayKnown how many those are
 * @param waiting what the replicas cost a month until they move
 * @param notes what a reader of the figures must know
 */
public record AssessmentView(
    String id,
    String name,
    String target,
    String book,
    String filter,
    List<String> machines,
    int revision,
    int revisions,
    Instant at,
    String by,
    String why,
    AssumptionsView assumptions,
    String currency,
    String prices,
    String rules,
    int count,
    BasisView configured,
    BasisView observed,
    BothView both,
    List<CountView> verdicts,
    List<CountView> reasons,
    List<CostView> costs,
    BigDecimal today,
    int todayKnown,
    BigDecimal waiting,
    List<String> notes) {

  /**
   * Sums on one basis, of the machines that have a size and a class for every disk.
   *
   * @param unsized machines that are not in the sums; their findings say why
   * @param monthly the sum of the machines' months
   * @param horizon over all months asked for
   * @param above machines that were above their size at some time of the window
   * @param aboveHours for how long, all together
   */
  public record BasisView(
      int sized,
      int unsized,
      BigDecimal monthly,
      BigDecimal horizon,
      int above,
      double aboveHours) {}

  /** Months of the machines that are in the sums of both bases, so that these can be compared. */
  public record BothView(int machines, BigDecimal configured, BigDecimal observed) {}

  /** How often something came up. */
  public record CountView(String what, int machines) {}

  /** What is paid a month for one kind of thing. */
  public record CostView(String kind, BigDecimal configured, BigDecimal observed) {}
}
