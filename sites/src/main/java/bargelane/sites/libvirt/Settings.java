package bargelane.sites.libvirt;

import java.net.URI;
import java.net.URISyntaxException;
import java.net.URLDecoder;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;

/**
 * A site's address: libvirt's own URI, with our settings as further parameters that libvirt never
 * sees.
 *
 * @param address the whole of it, as it was given
 * @param uri what libvirt is given on the host itself
 * @param ssh how the host is reached if it is not this machine
 * @param socket the daemon's socket
 * @param runtime directory on the host for sockets
 * @param pool the storage pool that our catalogue lies in; empty for the first one
 * @param devices what machines that we make get: {@code virtio} or {@code ide}
 * @param scratchMib most that a snapshot may keep of what guests overwrite
 * @param reserveMib what must stay free where that is kept
 * @param scratch directory on the host where it is kept; empty for the catalogue's
 * @param yard directory where the service runs that has the yard
 */
record Settings(
    String address,
    String uri,
    Optional<Ssh.Address> ssh,
    Path socket,
    String runtime,
    String pool,
    String devices,
    long scratchMib,
    long reserveMib,
    String scratch,
    String yard) {

  private static final String SYSTEM_SOCKET = "/run/libvirt/libvirt-sock";

  /**
   * Reads an address.
   *
   * @throws IllegalArgumentException saying what is wrong with it
   */
  static Settings parse(String address) {
    URI uri;
    try {
      uri = new URI(address);
    } catch (URISyntaxException e) {
      throw new IllegalArgumentException("'" + address + "' is not a libvirt address", e);
    }
    boolean remote = "qemu+ssh".equals(uri.getScheme());
    if (!remote && !"qemu".equals(uri.getScheme())
        || remote != (uri.getHost() != null)
        || !("/session".equals(uri.getPath()) || "/system".equals(uri.getPath()))) {
      throw new IllegalArgumentException(
          "'"
              + address
              + "' is not qemu:///system, qemu:///session?socket=PATH, or one of these at another host: qemu+ssh://USER@HOST/system");
    }
    Map<String, String> given = new LinkedHashMap<>();
    for (String part : (uri.getRawQuery() == null ? "" : uri.getRawQuery()).split("&")) {
      int equals = part.indexOf('=');
      if (equals > 0) {
        given.put(
            part.substring(0, equals),
            URLDecoder.decode(part.substring(equals + 1), StandardCharsets.UTF_8));
      }
    }
    if (uri.getPath().equals("/session") && !given.containsKey("socket")) {
      throw new IllegalArgumentException("a session needs its socket: qemu:///session?socket=PATH");
    }
    Path socket = Path.of(given.getOrDefault("socket", SYSTEM_SOCKET));
    String devices = take(given, "devices", "virtio");
    if (!devices.equals("virtio") && !devices.equals("ide")) {
      throw new IllegalArgumentException("devices is 'virtio' or 'ide', not '" + devices + "'");
    }
    String runtime =
        take(
            given,
            "runtime",
            uri.getPath().equals("/system")
                ? "/run/bargelane"
                : socket.getParent().resolveSibling("bl").toString());
    String pool = take(given, "pool", "");
    String scratch = take(given, "scratch", "");
    String yard = take(given, "yard", "");
    long scratchMib = number(given, "scratch-mib", 4096);
    long reserveMib = number(given, "reserve-mib", 1024);
    Optional<Ssh.Address> ssh = Optional.empty();
    if (remote) {
      String host = uri.getHost().replaceAll("^\\[|\\]$", "");
      ssh =
          Optional.of(
              new Ssh.Address(
                  uri.getUserInfo() == null ? "" : uri.getUserInfo(),
                  host,
                  Math.max(0, uri.getPort()),
                  take(given, "keyfile", ""),
                  take(given, "known_hosts", "")));
    }
    String rest =
        given.entrySet().stream()
            .map(e -> e.getKey() + "=" + e.getValue())
            .collect(Collectors.joining("&"));
    return new Settings(
        address,
        "qemu://" + uri.getPath() + (rest.isEmpty() ? "" : "?" + rest),
        ssh,
        socket,
        runtime,
        pool,
        devices,
        scratchMib,
        reserveMib,
        scratch,
        yard);
  }

  /** The address with the pool that our catalogue lies in. */
  String withPool(String name) {
    return address
        + (address.contains("?") ? "&" : "?")
        + "pool="
        + URLEncoder.encode(name, StandardCharsets.UTF_8);
  }

  private static String take(Map<String, String> given, String key, String otherwise) {
    String value = given.remove(key);
    return value == null ? otherwise : value;
  }

  private static long number(Map<String, String> given, String key, long otherwise) {
    String value = take(given, key, String.valueOf(otherwise));
    try {
      long n = Long.parseLong(value);
      if (n > 0) {
        return n;
      }
    } catch (NumberFormatException e) {
      // told below
    }
    throw new IllegalArgumentException(key + " is a number of MiB above 0, not '" + value + "'");
  }
}
