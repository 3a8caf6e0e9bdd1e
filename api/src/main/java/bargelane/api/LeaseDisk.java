package bargelane.api;

/**
 * One disk of a lease. {@code mayDiffer} is in the form start+length,…; addresses hold the right to
 * use them.
 */
public record LeaseDisk(
    int index,
    String machine,
    String sourceUri,
    String targetUri,
    String digestsUri,
    long bytes,
    String mayDiffer,
    boolean mayDifferAnywhere,
    long resumeFrom) {}
