package bargelane.api;

import java.time.Instant;

/**
 * Somebody who connects to an address that changes on a lane.
 *
 * @param machine whose address it is
 * @param becomes empty where the new one is not known yet
 * @param client the address that connects
 * @param clientMachine the machine that has it; empty where none is known
 * @param process of the client, where it is told
 */
public record AddressClient(
    String machine,
    String address,
    String becomes,
    String client,
    String clientMachine,
    String protocol,
    int port,
    String process,
    long count,
    Instant lastSeen) {}
