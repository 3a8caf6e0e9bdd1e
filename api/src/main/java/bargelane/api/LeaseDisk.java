package bargelane.api;

/**
 * One disk of a lease. {@code mayDiffer} is in the form start+length,…; addresses hold the right to
 * use them. {@code root} is the root digest of the replica where nothing in it may differ from its
 * newest point, else empty: where the source tells no change either, that is what it ends with.
 */
public record LeaseDisk(
    int index,
    String machine,
    String sourceUri,
    long bytes,
    String mayDiffer,
    boolean mayDifferAnywhere,
    long resumeFrom,
    String root) {}
