package bargelane.core.site;

import java.time.Instant;

/**
 * Connections of one kind, counted by an observer.
 *
 * @param client address that connected
 * @param server address that was connected to
 * @param protocol {@code tcp} or {@code udp}
 * @param process of the observed side; empty if it is not known
 * @param count connections
 * @param bytes in both directions; 0 if they are not counted
 */
public record Conversation(
    String client,
    String server,
    String protocol,
    int port,
    String process,
    long count,
    long bytes,
    Instant firstSeen,
    Instant lastSeen) {

  public Conversation {
    if (port < 0 || port > 65535) {
      throw new IllegalArgumentException(port + " is not a port");
    }
    if (count < 0 || bytes < 0) {
      throw new IllegalArgumentException("counts are not negative: " + count + ", " + bytes);
    }
  }
}
