package bargelane.api;

import java.math.BigDecimal;
import java.util.List;

/**
 * Two revisions, of one assessment or of two, side by side on one basis.
 *
 * @param assumptions which differ
 * @param machines those that differ, the most costly difference first
 * @param differing how many there are
 * @param compared machines that are in both sums
 * @param onlyFormer machines that are in the former's sum alone
 * @param monthly by how much those in both cost more a month
 */
public record AssessmentComparison(
    AssessmentView former,
    AssessmentView present,
    String basis,
    List<Difference> assumptions,
    List<MachineDifference> machines,
    int differing,
    int compared,
    int onlyFormer,
    int onlyPresent,
    BigDecimal monthly) {

  /** Something that is different. */
  public record Difference(String what, String former, String present) {}

  /**
   * A machine whose size or cost is different; empty or null on the side where it is not.
   *
   * @param monthly by how much it costs more a month; null if it is priced on one side only
   * @param why what of its own is different
   */
  public record MachineDifference(
      String machineId,
      String machine,
      String formerSize,
      String presentSize,
      BigDecimal formerMonthly,
      BigDecimal presentMonthly,
      BigDecimal monthly,
      List<String> why) {}
}
