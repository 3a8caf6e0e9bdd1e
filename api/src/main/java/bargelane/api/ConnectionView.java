package bargelane.api;

import java.time.Instant;

/**
 * Connections of one kind.
 *
 * @param process of the observed side; empty if it is not known
 * @param observer the site that saw them
 */
public record ConnectionView(
    EndView client,
    EndView server,
    String protocol,
    int port,
    String process,
    long count,
    long bytes,
    Instant firstSeen,
    Instant lastSeen,
    String observer) {

  /** One end: an address, and the machine that has it; null where none is known. */
  public record EndView(String address, String machineId, String machine) {}
}
