package bargelane.api;

import java.math.BigDecimal;
import java.util.List;

/**
 * What the machines of a revision would cost, and how many would be above their size.
 *
 * @param compared machines that have a size at every point: only those are counted, so that points
 *     can be compared
 */
public record WhatIfView(
    String assessment,
    int revision,
    String currency,
    int machines,
    int compared,
    List<PointView> points) {

  /**
   * One combination.
   *
   * @param above machines that were above their size at some time of the window
   * @param unsized machines of the revision that have no size here
   * @param edge whether no other point is both cheaper and less often above
   */
  public record PointView(
      double percentile,
      double headroomPercent,
      String commitment,
      BigDecimal hoursAWeek,
      BigDecimal monthly,
      int above,
      double aboveHours,
      int unsized,
      boolean edge) {}
}
