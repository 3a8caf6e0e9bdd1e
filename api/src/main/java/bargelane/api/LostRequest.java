package bargelane.api;

/**
 * Says that a site will not be back.
 *
 * @param site an end of the wave's lane
 * @param confirm the wave's name once more
 */
public record LostRequest(String site, String confirm) {}
