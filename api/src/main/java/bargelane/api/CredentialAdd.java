package bargelane.api;

/**
 * A credential to store. {@code type} is {@code token}, {@code password} or {@code key}; the secret
 * is stored encrypted and never returned.
 */
public record CredentialAdd(String name, String type, String account, String secret) {}
