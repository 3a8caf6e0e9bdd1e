package bargelane.api;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Host keys that are approved, as a list or as a file.
 *
 * @param keys each of one server
 * @param knownHosts a file as SSH clients keep it (OpenBSD's sshd(8), SSH_KNOWN_HOSTS FILE FORMAT)
 */
public record ServerKeys(@Nullable List<ServerKey> keys, @Nullable String knownHosts) {

  /**
   * The host key of a server.
   *
   * @param address of the server, as the list shows it
   * @param hostKey its fingerprint, {@code SHA256:…}
   */
  public record ServerKey(String address, String hostKey) {}
}
