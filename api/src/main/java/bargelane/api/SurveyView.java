package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** What is inside a machine, as one source read it from inside. Sizes are bytes. */
public record SurveyView(
    String site,
    Instant readAt,
    String account,
    Instant clock,
    long uptimeSeconds,
    String guestId,
    String hardwareId,
    String vendor,
    String product,
    String architecture,
    String cpuModel,
    String osName,
    String osVersion,
    @Nullable Instant patchedAt,
    List<DeviceView> devices,
    List<RouteView> routes,
    List<PackageView> packages,
    List<String> services,
    List<ListenerView> listeners,
    List<UnreadView> unread) {

  /** A block device, and where it or what lies on it is mounted. */
  public record DeviceView(
      String name, long bytes, List<String> parents, String model, List<String> mounts) {}

  public record RouteView(String to, String via, String card) {}

  public record PackageView(String name, String version, String architecture) {}

  public record ListenerView(String protocol, String address, int port, String process) {}

  /** What could not be read, and why. */
  public record UnreadView(String fact, String why) {}
}
