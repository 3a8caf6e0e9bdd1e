package bargelane.core.guest;

import bargelane.core.site.Inventory.Usage;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/**
 * What a Linux system tells of itself, from inside. A text that it did not tell is empty, a number
 * 0; {@link #unread} says what could not be read and why.
 *
 * @param at by the system's own clock
 * @param account who read it
 * @param guestId of {@code /etc/machine-id} (machine-id(5)): may be the same on machines that were
 *     made as copies
 * @param hardwareId the UUID of the firmware's tables (SMBIOS, DSP0134, 7.2.1), lower case
 * @param patchedAt when packages were changed last
 * @param counters what it used since it was started
 */
public record Survey(
    Instant at,
    String account,
    String guestId,
    String hardwareId,
    String hostname,
    String kernel,
    String architecture,
    String os,
    String osName,
    String osVersion,
    Optional<Instant> patchedAt,
    String firmware,
    String vendor,
    String product,
    int cpus,
    String cpuModel,
    long memoryBytes,
    long uptimeSeconds,
    List<Device> devices,
    List<Mount> mounts,
    List<Card> cards,
    List<Route> routes,
    List<Software> packages,
    List<String> services,
    List<Listener> listeners,
    List<Link> links,
    Usage counters,
    List<Unread> unread) {

  /** A block device; {@code parents} are what it is part of or lies on. */
  public record Device(
      String name, long bytes, List<String> parents, boolean removable, String model) {}

  /** A mounted file system on a block device; {@code device} by its name. */
  public record Mount(String device, String at, String type, long bytes, long used) {}

  /** A network card; addresses with their prefix length. */
  public record Card(
      String name, String mac, boolean up, boolean physical, List<String> addresses) {}

  /** {@code to} is a block or {@code default}; {@code via} is empty where it is on the link. */
  public record Route(String to, String via, String card) {}

  /** An installed package. */
  public record Software(String name, String version, String architecture) {}

  /** A socket that is served; the process is empty where it is not known. */
  public record Listener(String protocol, String address, int port, String process) {}

  /** An established connection; {@code inbound} if the other side began it. */
  public record Link(
      String protocol,
      String local,
      int localPort,
      String remote,
      int remotePort,
      boolean inbound,
      String process) {}

  /** A fact that could not be read. */
  public record Unread(String fact, String why) {}
}
