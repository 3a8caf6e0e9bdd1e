package bargelane.core.assess;

import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.finding.Finding;
import java.math.BigDecimal;
import java.time.Duration;
import java.util.List;
import java.util.Optional;

/**
 * What a machine needs at a target on one basis, and what that costs.
 *
 * @param size none if none fits; a finding says why
 * @param monthly the sum of the lines; none if a size or a class is missing
 * @param horizon the sum of the lines over the horizon
 * @param waiting what its replica costs a month until it moves: its disks in the cheapest class
 * @param aboveCpu how long its processors were busier in the window than the size could carry
 * @param aboveMemory how long it used more memory in the window than the size has
 */
public record Sized(
    Basis basis,
    List<Demand> demands,
    Optional<SizeOffer> size,
    List<PlacedDisk> disks,
    List<CostLine> lines,
    Optional<BigDecimal> monthly,
    Optional<BigDecimal> horizon,
    Optional<BigDecimal> waiting,
    Duration aboveCpu,
    Duration aboveMemory,
    List<Finding> findings,
    List<String> notes) {

  /**
   * A disk in a storage class.
   *
   * @param operations a second that it must carry; 0 where that was not measured
   * @param mib a second that it must carry; 0 where that was not measured
   * @param storage empty if no class holds it
   * @param rule by which the class was chosen
   */
  public record PlacedDisk(
      String volume, long bytes, double operations, double mib, String storage, String rule) {}

  /** Whether it was ever above its size in the window. */
  public boolean above() {
    return !aboveCpu.isZero() || !aboveMemory.isZero();
  }
}
