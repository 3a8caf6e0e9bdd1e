package bargelane.api;

import java.math.BigDecimal;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * One machine of a revision, in a line.
 *
 * @param configuredMonthly null if it has no size or a disk has no class
 * @param above for how many seconds it was above its observed size in the window
 * @param reasons codes of its findings
 * @param accepted the size that was accepted for it at this target; empty if none was
 * @param stale whether that is another than this revision gives
 */
public record AssessedRow(
    String machineId,
    String machine,
    int cpus,
    long memoryMib,
    String verdict,
    String way,
    String configuredSize,
    @Nullable BigDecimal configuredMonthly,
    String observedSize,
    @Nullable BigDecimal observedMonthly,
    @Nullable BigDecimal today,
    long above,
    List<String> reasons,
    boolean warned,
    String accepted,
    boolean stale) {}
