package bargelane.sites;

import bargelane.sites.agents.AgentsDriver;
import bargelane.sites.libvirt.LibvirtDriver;
import bargelane.sites.list.ListDriver;
import bargelane.sites.ovf.OvfDriver;
import bargelane.sites.servers.ServersDriver;
import bargelane.sites.standin.StandinDriver;
import java.net.URI;
import java.time.Clock;
import java.util.List;

/** Makes the driver for a kind of site. */
public final class Drivers {

  private Drivers() {}

  /** Kinds that {@link #open} knows. */
  public static List<String> kinds() {
    return List.of("standin", "libvirt", "ovf", "servers", "agents", "csv");
  }

  /** Whether sites of a kind are opened with a token; others go by who runs the service. */
  public static boolean needsToken(String kind) {
    return kind.equals("standin");
  }

  /** Whether machines of sites of a kind are looked at only, and may have their home elsewhere. */
  public static boolean looksOnly(String kind) {
    return List.of("servers", "agents", "csv").contains(kind);
  }

  /** Opens a driver for a site that is opened with one token, or with none. */
  public static SiteDriver open(
      String kind, String name, String address, String token, Clock clock) {
    return open(SiteAccess.of(kind, name, address, token), clock);
  }

  /**
   * Opens a driver; nothing is asked of the site yet.
   *
   * @throws IllegalArgumentException if the kind, the address or a credential can't be used
   */
  public static SiteDriver open(SiteAccess site, Clock clock) {
    switch (site.kind()) {
      case "libvirt":
        return new LibvirtDriver(site.name(), site.address(), clock);
      case "ovf":
        return new OvfDriver(site.name(), site.address());
      case "servers":
        return new ServersDriver(site, clock);
      case "agents":
        return new AgentsDriver(site, clock);
      case "csv":
        return new ListDriver(site.name());
      case "standin":
        URI uri = URI.create(site.address());
        if (!"http".equals(uri.getScheme()) && !"https".equals(uri.getScheme())
            || uri.getHost() == null) {
          throw new IllegalArgumentException("'" + site.address() + "' is not an http address");
        }
        return new StandinDriver(site.name(), uri, site.token(), clock);
      default:
        throw new IllegalArgumentException(
            "there is no driver for sites of kind '" + site.kind() + "'; there is " + kinds());
    }
  }
}
