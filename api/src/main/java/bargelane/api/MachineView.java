package bargelane.api;

import java.time.Instant;
import java.util.List;
import java.util.Map;

/** A machine of the inventory. Memory is MiB; {@code guest} is null if no agent ever told. */
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
    GuestView guest,
    Map<String, String> labels,
    String wave,
    Instant firstSeen,
    Instant lastSeen,
    Instant vanishedAt) {}
