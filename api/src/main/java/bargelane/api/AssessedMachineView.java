package bargelane.api;

import java.math.BigDecimal;
import java.time.Instant;
import java.util.List;

/** One machine of a revision, with how every figure of it came about. */
public record AssessedMachineView(
    String assessment,
    int revision,
    AssessedRow row,
    String currency,
    SizedView configured,
    SizedView observed,
    List<JudgementView> judgements,
    String way,
    String wayWhy,
    List<String> warnings,
    Instant windowFrom,
    Instant windowTo) {

  /** What it needs on one basis. */
  public record SizedView(
      String basis,
      String size,
      int cpus,
      long memoryMib,
      double cpuLimit,
      List<DemandView> demands,
      List<PlacedDiskView> disks,
      List<CostLineView> lines,
      BigDecimal monthly,
      BigDecimal horizon,
      BigDecimal waiting,
      long aboveCpuSeconds,
      long aboveMemorySeconds,
      List<FindingView> findings,
      List<String> notes,
      List<String> considered) {}

  /**
   * How much of something a size must carry.
   *
   * @param measured the percentile, or what is configured
   * @param derivation how the value came about
   */
  public record DemandView(
      String load, String unit, String basis, double measured, double value, String derivation) {}

  /** A disk in a storage class. */
  public record PlacedDiskView(String volume, long bytes, String storage, String derivation) {}

  /** One line of the cost. */
  public record CostLineView(
      String kind,
      String what,
      String of,
      BigDecimal quantity,
      String unit,
      BigDecimal price,
      BigDecimal discountPercent,
      BigDecimal monthly,
      BigDecimal horizon,
      String derivation) {}

  /**
   * A finding with the rule and the facts that it rests on.
   *
   * @param effect note, missing, goes after or stays
   * @param source who told the facts
   */
  public record JudgementView(
      FindingView finding, String effect, String rule, List<String> facts, String source) {}
}
