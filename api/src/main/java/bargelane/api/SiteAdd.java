package bargelane.api;

import java.util.List;

/**
 * A site to add. The token is stored encrypted and never returned; {@code credentials} are names of
 * stored ones.
 */
public record SiteAdd(
    String name, String kind, String address, String token, List<String> credentials) {}
