package bargelane.sites;

/**
 * A disk offered for reading or writing over NBD.
 *
 * @param name what it is revoked by
 * @param uri how it is reached; holds the right to use it, so it is never logged
 * @param tracksChanges whether it tells what changed since the marker asked for
 */
public record ExportRef(String name, String uri, boolean tracksChanges) {}
