package bargelane.api;

/**
 * Something that a refit can add to a guest besides what it needs.
 *
 * @param what why one would want it
 * @param accepted whether the next refit adds it
 */
public record RefitOffer(String name, String what, boolean accepted) {}
