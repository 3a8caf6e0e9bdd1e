package bargelane.api;

import java.util.List;

/**
 * A credential to store. {@code type} is {@code token}, {@code password} or {@code key}; the secret
 * is stored encrypted and never returned. It is sent to {@code destinations} alone, each a host, a
 * {@code *.ZONE} or a range in CIDR notation, with {@code :PORT} or without; {@code any} is
 * everywhere.
 */
public record CredentialAdd(
    String name, String type, String account, String secret, List<String> destinations) {}
