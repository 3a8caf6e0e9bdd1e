package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * What the way between a lane's sites carried when it was measured last, from where the service
 * runs.
 *
 * @param measuredAt null where it never was
 * @param from the source's end
 * @param to the target's end
 * @param there bytes a second that were copied from the source's end to the target's; null where
 *     that could not be measured
 * @param back the same on the way back
 * @param run that measures it now; empty where none does
 */
public record LinkView(
    @Nullable Instant measuredAt,
    LinkEndView from,
    LinkEndView to,
    @Nullable Long there,
    @Nullable Long back,
    String run) {

  /**
   * One end.
   *
   * @param site its name
   * @param answers microseconds that the site takes to answer; null where it was not measured
   * @param disks where its disks are reached: {@code HOST:PORT}, or {@code connection} where it is
   *     the connection to the site itself; empty where none could be offered
   * @param delay microseconds that a disk takes to answer; null where it was not measured
   * @param problem what stands in the way; empty for nothing
   */
  public record LinkEndView(
      String site, @Nullable Long answers, String disks, @Nullable Long delay, String problem) {}
}
