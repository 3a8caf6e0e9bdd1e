package bargelane.api;

/** A new secret for a credential. */
public record CredentialEdit(String secret) {}
