package bargelane.sites;

import bargelane.sites.libvirt.LibvirtDriver;
import bargelane.sites.ovf.OvfDriver;
import bargelane.sites.standin.StandinDriver;
import java.net.URI;
import java.time.Clock;
import java.util.List;

/** Makes the driver for a kind of site. */
public final class Drivers {

  private Drivers() {}

  /** Kinds that {@link #open} knows. */
  public static List<String> kinds() {
    return List.of("standin", "libvirt", "ovf");
  }

  /** Whether sites of a kind are opened with a token; others go by who runs the service. */
  public static boolean needsToken(String kind) {
    return kind.equals("standin");
  }

  /**
   * Opens a driver; nothing is asked of the site yet.
   *
   * @throws IllegalArgumentException if the kind or the address can't be used
   */
  public static SiteDriver open(
      String kind, String name, String address, String token, Clock clock) {
    if (!kinds().contains(kind)) {
      throw new IllegalArgumentException(
          "there is no driver for sites of kind '" + kind + "'; there is " + kinds());
    }
    if (kind.equals("libvirt")) {
      return new LibvirtDriver(name, address, clock);
    }
    if (kind.equals("ovf")) {
      return new OvfDriver(name, address);
    }
    URI uri = URI.create(address);
    if (!"http".equals(uri.getScheme()) && !"https".equals(uri.getScheme())
        || uri.getHost() == null) {
      throw new IllegalArgumentException("'" + address + "' is not an http address");
    }
    return new StandinDriver(name, uri, token, clock);
  }
}
