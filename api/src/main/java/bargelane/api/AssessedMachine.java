package bargelane.api;

import java.math.BigDecimal;
import java.util.List;

/** One machine of an assessment: the demand, the size it was given, and what that costs a month. */
public record AssessedMachine(
    String machine,
    int cpus,
    long memoryMib,
    String size,
    int sizeCpus,
    long sizeMemoryMib,
    BigDecimal computeMonthly,
    List<DiskCostView> disks,
    BigDecimal monthly,
    String currency,
    String derivation,
    List<FindingView> findings) {}
