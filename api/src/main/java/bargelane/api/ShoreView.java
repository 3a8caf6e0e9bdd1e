package bargelane.api;

/**
 * A network or storage at one end of a lane.
 *
 * @param side source or target
 * @param kind network or storage
 * @param detail the range of a network, the media of a storage
 * @param used cards with an address on it, or disks; those of machines that are the site's own
 * @param free addresses of a target's network that are left; -1 where that is not known
 * @param to of the source what it is joined to, of the target what the way back leads to; empty for
 *     nothing
 */
public record ShoreView(
    String side,
    String kind,
    String id,
    String name,
    String detail,
    long used,
    long free,
    String to) {}
