package bargelane.api;

/** A new token for a site. */
public record CredentialEdit(String token) {}
