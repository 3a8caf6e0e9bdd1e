package bargelane.sites;

/**
 * One server of a site of kind {@code servers}.
 *
 * @param id what its site knows it by
 * @param hostKey fingerprints that its host key may have, {@code SHA256:…}, parted by blanks; empty
 *     if none was seen yet
 * @param credential the name of the one that let us in last; empty if there was none
 */
public record ServerAccess(String id, String host, int port, String hostKey, String credential) {

  public ServerAccess {
    if (host.isBlank() || port < 1 || port > 65535) {
      throw new IllegalArgumentException("'" + host + "', port " + port + ", is not an address");
    }
  }

  /** As people write it. */
  public String address() {
    String named = host.contains(":") ? "[" + host + "]" : host;
    return port == 22 ? host : named + ":" + port;
  }
}
