package bargelane.blocks.pass;

/**
 * What a pass is connected to.
 *
 * @param from the source
 * @param to the target; nobody asks for it in a tally
 * @param checked what digests are asked of, or bytes read from: the target, for a tally the source
 */
record Sides(Connections from, Connections to, Connections checked) {}
