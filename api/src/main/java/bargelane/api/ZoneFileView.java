package bargelane.api;

/**
 * Changes of names' records.
 *
 * @param text a zone file (RFC 1035, section 5)
 */
public record ZoneFileView(String text) {}
