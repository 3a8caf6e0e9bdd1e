package bargelane.api;

import java.util.List;

/**
 * Which things at a site are to be removed.
 *
 * @param confirm the site's name
 * @param names of them; none where {@code owner} is given
 * @param owner all of this owner
 */
public record LeftoverRemove(String confirm, List<String> names, String owner) {}
