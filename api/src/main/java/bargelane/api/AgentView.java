package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * An agent in a guest.
 *
 * @param machineId of the machine that it is on; empty until it told of it
 * @param state reporting, silent, refused, or waiting for approval as a second one of its machine
 * @param clockAheadSeconds how far its machine's clock is ahead of the service's
 * @param account that it runs as
 * @param unread what it can't read, and why
 * @param trouble why what it told last was refused
 */
public record AgentView(
    String id,
    String machineId,
    String machine,
    String version,
    String state,
    Instant enrolledAt,
    @Nullable Instant heardAt,
    @Nullable Instant surveyedAt,
    double clockAheadSeconds,
    String account,
    List<String> unread,
    String trouble) {}
