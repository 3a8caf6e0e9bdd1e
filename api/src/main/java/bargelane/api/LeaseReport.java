package bargelane.api;

/** Progress of one disk; renews the lease. */
public record LeaseReport(
    long epoch,
    int disk,
    long total,
    long done,
    long read,
    long sent,
    long zeroed,
    long watermark) {}
