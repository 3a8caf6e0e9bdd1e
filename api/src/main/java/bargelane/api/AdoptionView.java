package bargelane.api;

import java.util.List;

/**
 * What other services left at a site.
 *
 * @param waves that can be taken over, by name
 * @param left what belongs to them, or to nothing that can be read, and is left as it is
 */
public record AdoptionView(String site, List<AdoptionWave> waves, List<LeftoverView> left) {}
