package bargelane.api;

import java.time.Instant;
import java.util.List;

/** A credential without its secret, where it may be sent, and the sites that use it. */
public record CredentialView(
    String id,
    String name,
    String type,
    String account,
    List<String> destinations,
    List<String> sites,
    Instant changedAt) {}
