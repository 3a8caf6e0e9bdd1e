package bargelane.sites;

import bargelane.core.site.SiteKind;
import bargelane.sites.agents.AgentsDriver;
import bargelane.sites.libvirt.LibvirtDriver;
import bargelane.sites.list.ListDriver;
import bargelane.sites.ovf.OvfDriver;
import bargelane.sites.servers.ServersDriver;
import bargelane.sites.standin.StandinDriver;
import java.net.URI;
import java.time.Clock;

/** Makes the driver for a kind of site. */
public final class Drivers {

  private Drivers() {}

  /** Opens a driver for a site that is opened with one token, or with none. */
  public static SiteDriver open(
      SiteKind kind, String name, String address, String token, Clock clock) {
    return open(SiteAccess.of(kind, name, address, token), clock);
  }

  /**
   * Opens a driver; nothing is asked of the site yet.
   *
   * @throws IllegalArgumentException if the address or a credential can't be used
   */
  public static SiteDriver open(SiteAccess site, Clock clock) {
    return switch (site.kind()) {
      case LIBVIRT -> new LibvirtDriver(site.name(), site.address(), clock);
      case OVF -> new OvfDriver(site.name(), site.address());
      case SERVERS -> new ServersDriver(site, clock);
      case AGENTS -> new AgentsDriver(site, clock);
      case CSV -> new ListDriver(site.name());
      case STANDIN -> new StandinDriver(site.name(), http(site.address()), site.token(), clock);
    };
  }

  private static URI http(String address) {
    URI uri = URI.create(address);
    if (!"http".equals(uri.getScheme()) && !"https".equals(uri.getScheme())
        || uri.getHost() == null) {
      throw new IllegalArgumentException("'" + address + "' is not an http address");
    }
    return uri;
  }
}
