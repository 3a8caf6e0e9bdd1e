package bargelane.api;

/**
 * Where a disk of a lease is written to, and where its digests lie.
 *
 * @param targetUri its replica; empty where nothing is written
 */
public record LeaseOpened(String targetUri, String digestsUri) {}
