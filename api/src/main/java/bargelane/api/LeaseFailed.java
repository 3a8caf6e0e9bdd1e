package bargelane.api;

/**
 * A tug gives up on a lease. {@code code}: may-pass, no-space, source-dropped, verify, disk-grown,
 * digests-malformed, refused.
 */
public record LeaseFailed(long epoch, String code, String message) {}
