package bargelane.sites;

import bargelane.core.site.SiteKind;
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

  /** The token of a site that is opened with one; empty if there is none. */
  String token() {
    return credentials.stream()
        .filter(c -> c.type() == SiteCredential.Type.TOKEN)
        .map(SiteCredential::secret)
        .findFirst()
        .orElse("");
  }
}
