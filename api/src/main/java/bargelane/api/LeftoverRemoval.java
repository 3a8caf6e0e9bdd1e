package bargelane.api;

/**
 * What became of a thing that was to be removed.
 *
 * @param problem why it is still there; empty if it is gone
 */
public record LeftoverRemoval(String kind, String name, String owner, String problem) {}
