package bargelane.core.site;

/**
 * What a site's platform can do. Everything that differs between platforms and matters to a plan is
 * declared here and never guessed.
 *
 * @param platform the platform's own name
 * @param version the platform's version
 * @param instant how wide one snapshot reaches
 * @param granularityBytes size of a tracked block
 * @param markersSurviveCrash whether tracking goes on after the platform was killed
 * @param sized whether machines take one of the offered sizes
 * @param armsBeforeStart whether a machine can be started with its change marker already armed
 * @param devices the hardware that machines made here see
 */
public record Capabilities(
    String platform,
    String version,
    Reach instant,
    int granularityBytes,
    boolean markersSurviveCrash,
    boolean sized,
    boolean armsBeforeStart,
    Inventory.DeviceFamily devices) {

  /** How much one snapshot takes at one instant. */
  public enum Reach {
    MACHINE,
    SITE;

    /** Whether one snapshot of the platform takes so many machines at one instant. */
    public boolean promisesOneInstant(int machines) {
      return this == SITE || machines == 1;
    }
  }

  public Capabilities {
    devices = devices == null ? Inventory.DeviceFamily.UNKNOWN : devices;
    if (granularityBytes < 512 || Integer.bitCount(granularityBytes) != 1) {
      throw new IllegalArgumentException(
          "granularity " + granularityBytes + " is not a power of two of at least 512");
    }
  }
}
