package bargelane.sites;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/**
 * What is known of an agent in a guest.
 *
 * @param machine the name of the machine it is on
 * @param heardAt when it told anything last; none if it never did
 * @param clockAhead how far its machine's clock is ahead of ours; negative if it is behind
 * @param unread what it can't read, and why
 * @param second why it waits for approval, as another agent tells of its machine; empty if not
 * @param trouble why what it told last was refused; empty if it was not
 */
public record AgentState(
    String id,
    String machine,
    String version,
    Optional<Instant> heardAt,
    Duration clockAhead,
    String account,
    List<String> unread,
    String second,
    String trouble) {}
