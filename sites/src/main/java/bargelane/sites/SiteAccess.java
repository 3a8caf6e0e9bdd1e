package bargelane.sites;

import bargelane.core.net.Destinations;
import bargelane.core.site.SiteKind;
import java.net.URI;
import java.util.List;

/**
 * How a site is reached.
 *
 * @param address as its kind wants it
 * @param credentials in the order in which they are tried
 * @param servers of a site of kind {@code servers}
 * @param agents of a site of kind {@code agents}
 */
public record SiteAccess(
    SiteKind kind,
    String name,
    String address,
    List<SiteCredential> credentials,
    List<ServerAccess> servers,
    List<AgentState> agents) {

  /** A site without agents. */
  public SiteAccess(
      SiteKind kind,
      String name,
      String address,
      List<SiteCredential> credentials,
      List<ServerAccess> servers) {
    this(kind, name, address, credentials, servers, List.of());
  }

  /** A site that is opened with one token, or with none. */
  public static SiteAccess of(SiteKind kind, String name, String address, String token) {
    return new SiteAccess(
        kind,
        name,
        address,
        token.isEmpty() ? List.of() : List.of(SiteCredential.token(name, token)),
        List.of());
  }

  /**
   * Whether a secret may be sent to a site's address.
   *
   * @param address an {@code http} or {@code https} address
   */
  public static boolean mayGo(Destinations destinations, String address) {
    URI uri = URI.create(address);
    return destinations.allow(host(uri), port(uri));
  }

  /** A site's own {@code http} or {@code https} address, as the only destination. */
  public static Destinations only(String address) {
    URI uri = URI.create(address);
    return new Destinations(List.of(Destinations.entry(host(uri), port(uri))));
  }

  private static String host(URI uri) {
    String host = uri.getHost();
    return host.startsWith("[") ? host.substring(1, host.length() - 1) : host;
  }

  private static int port(URI uri) {
    if (uri.getPort() >= 0) {
      return uri.getPort();
    }
    return "https".equals(uri.getScheme()) ? 443 : 80;
  }

  /** The token of a site that is opened with one; empty if there is none that may be sent there. */
  String token() {
    return credentials.stream()
        .filter(c -> c.type() == SiteCredential.Type.TOKEN && mayGo(c.destinations(), address))
        .map(SiteCredential::secret)
        .findFirst()
        .orElse("");
  }
}
