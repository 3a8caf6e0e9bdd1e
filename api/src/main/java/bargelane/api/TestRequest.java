package bargelane.api;

/**
 * A test cutover. {@code point} empty for the newest; {@code hold} keeps it until it is finished by
 * hand.
 */
public record TestRequest(String point, Boolean hold) {}
