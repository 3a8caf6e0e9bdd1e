package bargelane.blocks.pass;

import bargelane.blocks.DigestMap;
import bargelane.blocks.Ranges;

/**
 * What a finished pass leaves.
 *
 * @param digests the digest map of the replica (of the source, for a tally)
 * @param differed the ranges that were shipped (that differ, for a tally)
 */
public record PassResult(DigestMap digests, Ranges differed, PassProgress progress) {}
