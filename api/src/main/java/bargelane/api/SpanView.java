package bargelane.api;

/**
 * A network of a lane's source whose range is also that of the subnet that it is joined to, or part
 * of it: machines at different ends reach each other only where it is extended between the sites.
 *
 * @param network its id
 * @param range of the network
 * @param subnet that it is joined to
 * @param span {@code extended} where that was decided; otherwise empty
 * @param staying machines on it that have not moved
 * @param moved machines that were on it and have landed
 * @param across pairs of machines, one in a wave and one not in that wave, that were seen to talk
 *     with each other within the range
 * @param waves how many waves they move in, those that have landed too
 */
public record SpanView(
    String network,
    String name,
    String range,
    String subnet,
    String span,
    long staying,
    long moved,
    long across,
    long waves) {}
