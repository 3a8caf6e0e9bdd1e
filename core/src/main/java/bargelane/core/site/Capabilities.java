package bargelane.core.site;

import java.util.List;

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
 * @param uefiDevices the same of machines that UEFI starts, where it differs
 * @param firmwares {@code bios}, {@code uefi}: what can start machines here; empty if that is not
 *     told
 */
public record Capabilities(
    String platform,
    String version,
    Reach instant,
    int granularityBytes,
    boolean markersSurviveCrash,
    boolean sized,
    boolean armsBeforeStart,
    Inventory.DeviceFamily devices,
    Inventory.DeviceFamily uefiDevices,
    List<String> firmwares) {

  /** A platform that does not tell what can start its machines. */
  public Capabilities(
      String platform,
      String version,
      Reach instant,
      int granularityBytes,
      boolean markersSurviveCrash,
      boolean sized,
      boolean armsBeforeStart,
      Inventory.DeviceFamily devices) {
    this(
        platform,
        version,
        instant,
        granularityBytes,
        markersSurviveCrash,
        sized,
        armsBeforeStart,
        devices,
        null,
        List.of());
  }

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
    uefiDevices = uefiDevices == null ? devices : uefiDevices;
    firmwares = firmwares == null ? List.of() : firmwares;
    if (granularityBytes < 512 || Integer.bitCount(granularityBytes) != 1) {
      throw new IllegalArgumentException(
          "granularity " + granularityBytes + " is not a power of two of at least 512");
    }
  }

  /** The hardware that a machine sees which a firmware starts. */
  public Inventory.DeviceFamily devices(String firmware) {
    return firmware.equals("uefi") ? uefiDevices : devices;
  }

  /** Whether a firmware can start machines here, as far as it is told. */
  public boolean starts(String firmware) {
    return firmwares.isEmpty() || firmware.isEmpty() || firmwares.contains(firmware);
  }
}
