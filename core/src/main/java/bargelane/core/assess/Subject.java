package bargelane.core.assess;

import bargelane.core.site.Inventory.MachineFacts;
import java.math.BigDecimal;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Set;

/**
 * A machine to be assessed.
 *
 * @param media of the storages that its disks lie on, by their id; empty where it is not told
 * @param use what it used in the window; none if nothing was measured
 * @param hoursAWeek for which this one runs, where that is not as for all
 * @param licences that it needs, in lower case
 * @param outwardGib that it sends to outside networks a month; none where it was not counted
 * @param publicAddress whether it is reached from outside networks
 */
public record Subject(
    String id,
    MachineFacts facts,
    Map<String, String> media,
    Optional<Use> use,
    Optional<BigDecimal> hoursAWeek,
    Set<String> licences,
    OptionalDouble outwardGib,
    boolean publicAddress) {}
