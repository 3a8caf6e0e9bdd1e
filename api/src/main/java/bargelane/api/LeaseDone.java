package bargelane.api;

/**
 * A disk is finished, with the digests that the target holds; none for a tally.
 *
 * @param readBack whether any of what was verified had to be read back, since the target tells no
 *     digests
 */
public record LeaseDone(
    long epoch,
    int disk,
    long total,
    long read,
    long sent,
    long zeroed,
    String differed,
    String rootDigest,
    boolean readBack) {}
