package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * A stretch of replication in one direction.
 *
 * @param scrubbedAt when the copies were last read and held against their digests
 * @param scrubFound what that found and no pass has mended yet; empty for nothing
 */
public record LegView(
    String id,
    int number,
    String from,
    String to,
    String state,
    String marker,
    String commonPoint,
    @Nullable Instant scrubbedAt,
    String scrubFound) {}
