package bargelane.api;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A machine of the inventory. Memory is MiB; {@code guest} is null if no agent ever told; {@code
 * ownLabels} names the labels that were given by hand.
 */
public record MachineView(
    String id,
    String site,
    String platformId,
    String name,
    int cpus,
    long memoryMib,
    String os,
    String firmware,
    boolean on,
    boolean fenced,
    List<DiskView> disks,
    List<NicView> nics,
    @Nullable GuestView guest,
    Map<String, String> labels,
    Set<String> ownLabels,
    Set<String> ruledLabels,
    List<SourceView> sources,
    String wave,
    Instant firstSeen,
    Instant lastSeen,
    @Nullable Instant vanishedAt) {}
