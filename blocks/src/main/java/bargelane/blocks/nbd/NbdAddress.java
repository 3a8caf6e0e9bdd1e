package bargelane.blocks.nbd;

import java.net.URI;
import java.net.URISyntaxException;
import java.net.URLDecoder;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;

/**
 * Where an export is: {@code nbd+unix:///EXPORT?socket=PATH} or {@code
 * nbds://HOST:PORT/EXPORT?fingerprint=SHA256}, after the NBD URI document of the NBD project
 * (doc/uri.md); the fingerprint is ours. Open TCP has no form on purpose: disk bytes never travel
 * in the clear.
 */
public sealed interface NbdAddress {

  String export();

  /** The URI form. */
  String uri();

  /**
   * Over a Unix socket. {@code changed} is the metadata context that tells of changes, empty for
   * our own disk servers'; a bitmap's is {@code qemu:dirty-bitmap:NAME} (QEMU,
   * docs/interop/nbd.txt).
   */
  record Unix(Path socket, String export, String changed) implements NbdAddress {
    public Unix(Path socket, String export) {
      this(socket, export, "");
    }

    @Override
    public String uri() {
      return "nbd+unix:///"
          + escape(export)
          + "?socket="
          + escape(socket.toString())
          + (changed.isEmpty() ? "" : "&changed=" + escape(changed));
    }
  }

  /** Over TLS, the server known by the SHA-256 of its certificate (hex). */
  record Tls(String host, int port, String export, String fingerprint) implements NbdAddress {
    @Override
    public String uri() {
      return "nbds://" + host + ":" + port + "/" + escape(export) + "?fingerprint=" + fingerprint;
    }
  }

  /**
   * Reads the URI form.
   *
   * @throws IllegalArgumentException saying what is wrong
   */
  static NbdAddress parse(String text) {
    try {
      URI uri = new URI(text);
      String export = URLDecoder.decode(uri.getRawPath().substring(1), StandardCharsets.UTF_8);
      String query = uri.getRawQuery() == null ? "" : uri.getRawQuery();
      if ("nbd+unix".equals(uri.getScheme()) && query.startsWith("socket=")) {
        String[] parts = query.split("&changed=", 2);
        return new Unix(
            Path.of(URLDecoder.decode(parts[0].substring(7), StandardCharsets.UTF_8)),
            export,
            parts.length > 1 ? URLDecoder.decode(parts[1], StandardCharsets.UTF_8) : "");
      }
      if ("nbds".equals(uri.getScheme()) && uri.getPort() > 0 && query.startsWith("fingerprint=")) {
        return new Tls(uri.getHost(), uri.getPort(), export, query.substring(12));
      }
    } catch (URISyntaxException | RuntimeException e) {
      throw new IllegalArgumentException("'" + text + "' is not the address of an export", e);
    }
    throw new IllegalArgumentException(
        "'" + text + "' is neither nbd+unix with a socket nor nbds with a fingerprint");
  }

  private static String escape(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8).replace("+", "%20");
  }
}
