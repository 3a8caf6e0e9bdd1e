package bargelane.api;

/** A disk is finished, with the digests that the target holds; none for a tally. */
public record LeaseDone(
    long epoch,
    int disk,
    long total,
    long read,
    long sent,
    long zeroed,
    String differed,
    String rootDigest) {}
