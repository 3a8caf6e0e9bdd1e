package bargelane.api;

/** A site to add. The token is stored encrypted and never returned. */
public record SiteAdd(String name, String kind, String address, String token) {}
