package bargelane.api;

/** A token that was made, and its secret, which is told once. */
public record TokenAdded(TokenView token, String secret) {}
