package bargelane.api;

/**
 * How the chain of the audit was found.
 *
 * @param entries that are as they were written, from the first on
 * @param digest of the last of these
 * @param broken what is wrong with the next one; empty if nothing is
 */
public record AuditCheck(long entries, String digest, String broken) {}
