package bargelane.api;

/**
 * A cutover or failback. {@code confirm} is the wave name, typed; {@code override} says why shut
 * gates are passed over.
 */
public record CutoverRequest(String confirm, String override) {}
