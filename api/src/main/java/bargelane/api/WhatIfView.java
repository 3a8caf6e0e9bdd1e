package bargelane.api;

import java.math.BigDecimal;
import java.util.List;

/** What the machines of a revision would cost, and how many would be above their size. */
public record WhatIfView(
    String assessment, int revision, String currency, int machines, List<PointView> points) {

  /**
   * One combination.
   *
   * @param above machines that were above their size at some time of the window
   * @param unsized machines that have no size; not in the cost
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
