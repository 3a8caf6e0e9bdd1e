package bargelane.blocks.pass;

import bargelane.blocks.Ranges;

/**
 * What a finished pass leaves.
 *
 * @param root the root digest of what the replica holds now; empty after a tally
 * @param differed where it was shipped (where it differs, for a tally); where these are many, those
 *     that lie close are joined, so that it is more than {@code progress} counts
 * @param readBack whether anything was verified by reading it back, and not by digests that the
 *     target told
 */
public record PassResult(String root, Ranges differed, PassProgress progress, boolean readBack) {}
