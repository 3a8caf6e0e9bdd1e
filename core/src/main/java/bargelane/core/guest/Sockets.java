package bargelane.core.guest;

import bargelane.core.guest.Survey.Link;
import bargelane.core.guest.Survey.Listener;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Sockets as {@code /proc/net/tcp} and its like tell them (proc(5)), with whose they are. */
final class Sockets {

  private static final Pattern ROW =
      Pattern.compile(
          "(tcp6?|udp6?) +[0-9]+: ([0-9A-Fa-f]{8}|[0-9A-Fa-f]{32}):([0-9A-Fa-f]{4})"
              + " ([0-9A-Fa-f]{8}|[0-9A-Fa-f]{32}):([0-9A-Fa-f]{4}) ([0-9A-Fa-f]{2})"
              + " [0-9A-Fa-f:]+ [0-9A-Fa-f:]+ [0-9A-Fa-f]+ +[0-9]+ +[0-9]+ +([0-9]{1,19}) .*");

  // States of a connection, include/net/tcp_states.h.
  private static final int ESTABLISHED = 1;
  private static final int UNCONNECTED = 7;
  private static final int LISTEN = 10;

  final List<Listener> listeners = new ArrayList<>();
  final List<Link> links = new ArrayList<>();

  private record Row(
      String protocol, String local, int port, String remote, int remotePort, String process) {}

  Sockets(Sections told, boolean bigEndian) {
    Map<String, String> names = new HashMap<>();
    for (String line : told.lines("commands")) {
      int space = line.indexOf(' ');
      if (space > 0) {
        names.put(line.substring(0, space), Texts.plain(line.substring(space + 1), 64));
      }
    }
    Map<String, String> owners = new HashMap<>();
    for (String line : told.lines("owners")) {
      String[] part = line.split(" ");
      if (part.length == 2 && names.containsKey(part[0])) {
        owners.putIfAbsent(part[1], names.get(part[0]));
      }
    }
    Set<Listener> served = new LinkedHashSet<>();
    List<Row> open = new ArrayList<>();
    for (String line : told.lines("sockets")) {
      Matcher m = ROW.matcher(line);
      if (!m.matches()) {
        continue;
      }
      String protocol = m.group(1).substring(0, 3);
      int state = Integer.parseInt(m.group(6), 16);
      Row row =
          new Row(
              protocol,
              address(m.group(2), bigEndian),
              Integer.parseInt(m.group(3), 16),
              address(m.group(4), bigEndian),
              Integer.parseInt(m.group(5), 16),
              owners.getOrDefault(m.group(7), ""));
      if (protocol.equals("tcp") ? state == LISTEN : state == UNCONNECTED) {
        served.add(new Listener(protocol, row.local, row.port, row.process));
      } else if (state == ESTABLISHED && !loopback(row.remote)) {
        open.add(row);
      }
    }
    listeners.addAll(served);
    Set<String> ports = new HashSet<>();
    served.forEach(l -> ports.add(l.protocol() + l.port()));
    for (Row r : open) {
      links.add(
          new Link(
              r.protocol,
              r.local,
              r.port,
              r.remote,
              r.remotePort,
              ports.contains(r.protocol + r.port),
              r.process));
    }
  }

  static boolean loopback(String address) {
    return address.startsWith("127.") || address.equals("::1");
  }

  /**
   * An address of 8 or 32 hexadecimal digits: words of 32 bits in the machine's own order of bytes.
   * One of version 4 inside version 6 (RFC 4291, 2.5.5.2) is told as version 4.
   */
  static String address(String hex, boolean bigEndian) {
    int[] b = new int[hex.length() / 2];
    for (int i = 0; i < b.length; i++) {
      int at = bigEndian ? i : (i & ~3) + 3 - (i & 3);
      b[at] = Integer.parseInt(hex.substring(2 * i, 2 * i + 2), 16);
    }
    if (b.length == 4) {
      return b[0] + "." + b[1] + "." + b[2] + "." + b[3];
    }
    boolean mapped = b[10] == 0xff && b[11] == 0xff;
    for (int i = 0; i < 10 && mapped; i++) {
      mapped = b[i] == 0;
    }
    if (mapped) {
      return b[12] + "." + b[13] + "." + b[14] + "." + b[15];
    }
    return Texts.version6(b);
  }
}
