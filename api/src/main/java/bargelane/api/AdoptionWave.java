package bargelane.api;

import java.time.Instant;
import java.util.List;

/**
 * A wave as the manifests at a site tell it.
 *
 * @param service identity of the service that made it
 * @param from the site that was read
 * @param fromAddress the address that its service had for that site
 * @param points how many can be read
 * @param newest number of the newest point; null if none can be read
 * @param asOf of the newest point
 * @param verified how it was verified
 * @param runsHere whether its machines run at the site now
 * @param adopted whether it was taken over, by the call that gives this
 */
public record AdoptionWave(
    String wave,
    String tow,
    String service,
    String from,
    String fromAddress,
    List<String> machines,
    int points,
    Integer newest,
    Instant asOf,
    String verified,
    boolean runsHere,
    boolean adopted,
    List<FindingView> findings) {}
