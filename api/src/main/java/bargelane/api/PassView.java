package bargelane.api;

import java.time.Instant;
import java.util.List;

/** A pass. Bytes; {@code rate} is bytes a second. */
public record PassView(
    String id,
    String run,
    int number,
    String kind,
    String state,
    Instant asOf,
    Instant startedAt,
    Instant endedAt,
    long total,
    long done,
    long sent,
    long zeroed,
    long read,
    Long rate,
    Long remainingSeconds,
    String problem,
    List<DiskProgress> disks) {

  /** How far one disk is; {@code total} and {@code done} are bytes looked at. */
  public record DiskProgress(
      String machine, int disk, boolean finished, long total, long done, long sent) {}
}
