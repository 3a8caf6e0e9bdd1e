package bargelane.api;

/**
 * What came of changing the master key.
 *
 * @param secrets that are sealed with the new one
 */
public record KeyChanged(int secrets) {}
