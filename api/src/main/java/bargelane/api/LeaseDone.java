package bargelane.api;

/** A disk is finished: its digests were put before this. */
public record LeaseDone(
    long epoch,
    int disk,
    long total,
    long read,
    long sent,
    long zeroed,
    String differed,
    String rootDigest) {}
