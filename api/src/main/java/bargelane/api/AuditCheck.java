package bargelane.api;

/**
 * How the chain of the audit was found.
 *
 * @param entries that are as they were written, from the first that is there on
 * @param gone how many before that are gone since they were older than they are kept
 * @param digest of the last of these
 * @param broken what is wrong with the next one; empty if nothing is
 */
public record AuditCheck(long entries, long gone, String digest, String broken) {}
