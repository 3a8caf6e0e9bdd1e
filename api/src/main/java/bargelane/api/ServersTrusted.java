package bargelane.api;

/**
 * What came of approving host keys.
 *
 * @param approved servers whose host key is approved now
 * @param unapproved servers of the site that have none
 */
public record ServersTrusted(int approved, int unapproved) {}
