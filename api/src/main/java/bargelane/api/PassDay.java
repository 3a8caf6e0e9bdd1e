package bargelane.api;

import org.jspecify.annotations.Nullable;

/**
 * How replication went on a day, of the passes that ended on it.
 *
 * @param day UTC, as {@code 2026-12-01}
 * @param passes all of them
 * @param failed of these
 * @param read bytes of the source
 * @param sent bytes
 * @param seconds that they took, added up
 * @param longestExposureSeconds the oldest that the newest recovery point became before the next
 *     one was recorded; null where no second one was
 * @param overRpoSeconds for how long it was older than the RPO
 */
public record PassDay(
    String day,
    long passes,
    long failed,
    long read,
    long sent,
    double seconds,
    @Nullable Double longestExposureSeconds,
    double overRpoSeconds) {}
