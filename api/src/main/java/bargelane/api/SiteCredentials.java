package bargelane.api;

import java.util.List;

/** Names of the credentials that a site tries, in this order. */
public record SiteCredentials(List<String> credentials) {}
