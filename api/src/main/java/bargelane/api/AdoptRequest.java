package bargelane.api;

import java.util.List;

/**
 * What is to be taken over.
 *
 * @param confirm the site's name
 * @param waves by name or tow; all that can be if there are none
 * @param serviceGone says that the service that made them works no more, where that can't be seen
 * @param removeMachines has machines that stand at the site, switched off and known to nobody, be
 *     removed; their disks stay
 */
public record AdoptRequest(
    String confirm, List<String> waves, Boolean serviceGone, Boolean removeMachines) {}
