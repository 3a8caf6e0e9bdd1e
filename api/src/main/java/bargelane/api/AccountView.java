package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * An account.
 *
 * @param machines a filter of the machines that its roles are limited to; empty for all
 * @param provider the identity provider that signs its person in; empty where it has a password
 * @param seenAt when a session or token of it was last used
 * @param sessions that are open
 * @param tokens that are valid
 */
public record AccountView(
    String name,
    List<String> roles,
    String machines,
    String provider,
    Instant createdAt,
    @Nullable Instant seenAt,
    int sessions,
    int tokens) {}
