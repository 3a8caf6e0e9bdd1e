package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A session or a token, without its secret.
 *
 * @param kind {@code session}, {@code token}, {@code tug}, or {@code home} for the one that the
 *     launcher keeps
 * @param roles what it may do: no more than its account
 * @param tug the tug whose leases it is for
 * @param usedFrom the address that it was last used from
 * @param present whether this call came with it
 */
public record TokenView(
    String id,
    String name,
    String account,
    String kind,
    List<String> roles,
    @Nullable String tug,
    @Nullable Instant createdAt,
    @Nullable Instant expiresAt,
    @Nullable Instant usedAt,
    @Nullable String usedFrom,
    boolean present) {}
