package bargelane.api;

import java.util.List;

/** A new secret for a credential, and where it may be sent; without that, where it was. */
public record CredentialEdit(String secret, List<String> destinations) {}
