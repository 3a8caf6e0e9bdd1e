package bargelane.api;

/** Something of ours found at a site. */
public record LeftoverView(String site, String kind, String name, String owner, boolean recorded) {}
