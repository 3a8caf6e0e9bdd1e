package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** A pass. Bytes; {@code rate} is bytes a second. */
public record PassView(
    String id,
    String run,
    int number,
    String kind,
    String state,
    @Nullable Instant asOf,
    Instant startedAt,
    @Nullable Instant endedAt,
    long total,
    long done,
    long sent,
    long zeroed,
    long read,
    @Nullable Long rate,
    @Nullable Long remainingSeconds,
    String problem,
    List<DiskProgress> disks) {

  /** How far one disk is; {@code total} and {@code done} are bytes looked at. */
  public record DiskProgress(
      String machine, int disk, boolean finished, long total, long done, long sent) {}
}
